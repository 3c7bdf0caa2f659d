import type { Rational } from '../../time/index.js';
import { hasTransparency, shownSize, type SourceFacts } from '../../media/index.js';
import type { FrameSize, Framing, Timeline } from '../../timeline/index.js';
import { effectsDone, isOpaque, stagesOf, type KnownEffect, type Stage } from '../effects/index.js';
import type { Mix } from './mix.js';
import type { Placement } from './placement.js';

/** One picture in a stretch. */
export interface Layer {
  readonly clipId: string;
  readonly sourceId: string;
  /** Timeline frame at which the clip begins. */
  readonly clipStart: number;
  /** Source seconds at `clipStart`. */
  readonly sourceIn: Rational;
  /** Source seconds for each second of the timeline; below zero it plays backwards. */
  readonly speed: Rational;
  /** Effects in order, without disabled ones. */
  readonly effects: readonly KnownEffect[];
  readonly framing: Framing;
  /** Transition from the layer below; null where it is composed above. */
  readonly mix: Mix | null;
}

/** Properties that define the position of a picture in its frame. */
export type Posed = Pick<Layer, 'effects' | 'framing'>;

/** The stages from a source's picture to a frame. @throws TypeError for a source without a picture */
export function layerStages(
  { effects, framing }: Posed,
  facts: SourceFacts,
  frame: FrameSize,
): readonly [Stage, ...Stage[]] {
  if (!facts.picture) throw new TypeError('A source without a picture has no place in a frame.');
  return stagesOf(effects, shownSize(facts.picture), frame, framing);
}

const PLAIN: Posed = { effects: [], framing: 'fit' };

/**
 * The size in which a source is made for a frame size: the largest of its clips, or as it fits when it has none.
 * @throws TypeError for a source without a picture
 */
export function largestRaster(
  { tracks }: Timeline,
  sourceId: string,
  facts: SourceFacts,
  frame: FrameSize,
): FrameSize {
  const clips = tracks.flatMap((track) => (track.kind === 'picture' ? track.clips : []));
  const posed = clips
    .filter((clip) => clip.sourceId === sourceId)
    .map(({ effects, framing = 'fit' }): Posed => ({ effects: effectsDone(effects), framing }));
  return (posed.length ? posed : [PLAIN])
    .map((each) => layerStages(each, facts, frame)[0].pose.raster)
    .reduce((most, each) => (each.width > most.width ? each : most));
}

/** Whether nothing of what is below a layer is seen. */
export function coversFrame(layer: Layer, facts: SourceFacts | undefined, frame: FrameSize): boolean {
  if (!facts?.picture || hasTransparency(facts) || !isOpaque(layer.effects)) return false;
  return layerStages(layer, facts, frame).every(
    ({ pose: { placement } }) => placement !== null && fillsFrame(placement, frame),
  );
}

/** Whether a layer is a frame: opaque, neither smaller nor larger, and in its place. */
export const isWholeFrame = (layer: Layer, facts: SourceFacts, frame: FrameSize): boolean =>
  coversFrame(layer, facts, frame) &&
  layerStages(layer, facts, frame).every(
    ({ pose: { placement } }) => placement?.width === frame.width && placement.height === frame.height,
  );

/** Whether nothing of a frame is left free. */
export const fillsFrame = ({ x, y, width, height }: Placement, frame: FrameSize): boolean =>
  x <= 0 && y <= 0 && x + width >= frame.width && y + height >= frame.height;
