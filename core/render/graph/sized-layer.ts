import { hasTransparency, scaleColours, straightAlpha, type SourceFacts } from '../../media/index.js';
import type { FrameSize } from '../../timeline/index.js';
import { COLOUR_TAGS, effectFilters, type EffectAssets, type FilterPiece } from '../effects/index.js';
import { frameTimebase } from './frame-timebase.js';
import { isWholeFrame, layerStages, type Layer } from './layer.js';
import type { SizedLayer } from './layering.js';

/** Algorithm of ffmpeg's filter `scale`: the export's, or the one that gives what a preview shows. */
export type Scaling = 'bicubic' | 'area';

/**
 * ffmpeg's filters from frames of an original to a layer of the frame.
 * @param input label of the original
 * @param picked filters that pick the frames that are wanted
 * @param scaling the filter's algorithm
 */
export function sizedLayer(
  input: string,
  picked: string,
  layer: Layer,
  facts: SourceFacts,
  frame: FrameSize,
  piece: FilterPiece,
  assets: EffectAssets,
  scaling: Scaling = 'bicubic',
): { readonly filters: readonly string[]; readonly layer: SizedLayer } {
  const stages = layerStages(layer, facts, frame);
  const { width, height } = stages[0].pose.raster;
  const picture = facts.picture!;
  const isTransparent = hasTransparency(facts);
  const scaled =
    `[${input}]${picked},${straightAlpha(picture)}scale=${width}:${height}:flags=${scaling}:${scaleColours(picture)},` +
    `format=${isTransparent ? 'yuva420p' : 'yuv420p'},setsar=1,${COLOUR_TAGS},${frameTimebase(piece.rate)}`;
  const [colours, alpha] = [`${piece.name}colours`, `${piece.name}alpha`];
  const source = isTransparent
    ? [
        `${scaled},split[${piece.name}][${alpha}whole]`,
        `[${piece.name}]format=yuv420p,${COLOUR_TAGS}[${colours}]`,
        `[${alpha}whole]alphaextract,format=gray[${alpha}]`,
      ]
    : [`${scaled}[${colours}]`];
  const made = effectFilters(
    { picture: colours, alpha: isTransparent ? alpha : null },
    ...([stages, frame, piece, assets] as const),
  );
  const { placement } = stages.at(-1)!.pose;
  const corner = { x: placement?.x ?? 0, y: placement?.y ?? 0 };
  return {
    filters: [...source, ...made.filters],
    layer: { label: made.label, corner, mix: layer.mix, isWhole: isWholeFrame(layer, facts, frame) },
  };
}
