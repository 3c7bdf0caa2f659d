import { stagesOf } from '../render/index.js';
import type { Prediction } from '../simulation/index.js';

/** Which pixels are really shown: those of the preview, or of a smaller picture that was made larger for it. */
export interface Sharpness {
  /** Pixels that carry something of their own. */
  readonly pixels: number;
  readonly width: number;
  readonly height: number;
  /** Pixels of the timeline's frame. */
  readonly of: number;
  readonly fromCopies: boolean;
}

/** Sharpness of the source that is shown longest. */
export function shownSharpness({ work }: Prediction): Sharpness {
  const { played: graph, playSize } = work.preview;
  const { width: fullWidth, height: fullHeight } = graph.size;
  const spans = new Map<string, Sharpness & { frames: number }>();
  for (const { from, to, layers } of graph.stretches)
    for (const layer of layers) {
      const medium = work.media.get(layer.sourceId);
      if (!medium) continue;
      // A medium with fewer pixels than its place in the preview shows only its own.
      const { raster } = stagesOf(layer.effects, medium.shownSize, playSize, layer.framing)[0].pose;
      const share = Math.min(1, medium.size.width / Math.max(1, raster.width));
      const width = Math.round(playSize.width * share);
      const height = Math.round(playSize.height * share);
      const known = spans.get(layer.sourceId)?.frames ?? 0;
      spans.set(layer.sourceId, {
        ...{ pixels: width * height, width, height, of: fullWidth * fullHeight },
        fromCopies: medium.choice === 'light copy',
        frames: known + to - from,
      });
    }
  const [longest] = [...spans.values()].sort((a, b) => b.frames - a.frames);
  const all = {
    pixels: fullWidth * fullHeight,
    width: fullWidth,
    height: fullHeight,
    of: fullWidth * fullHeight,
    fromCopies: false,
  };
  return longest ?? all;
}
