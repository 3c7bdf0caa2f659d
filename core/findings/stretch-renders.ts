import { sum } from 'd3-array';
import { contentOf, stampsOf, uncovered, type CachedStretch } from '../cache/index.js';
import { buildWorkload, workOf, type Situation } from '../cost-model/index.js';
import type { Prediction } from '../simulation/index.js';
import { toNumber } from '../time/index.js';
import { mergeRanges, type FrameRange } from '../timeline/index.js';

/** Frames before and behind those that drop, which are rendered with them: playback recovers in them, seconds. */
const MARGIN_SECONDS = 2;
/** Bytes of a cached pixel; stretches of the demo took 0.06 to 0.08. */
const BYTES_PER_PIXEL = 0.1;

/** Expected cost of a render. */
export interface RenderPrice {
  readonly seconds: number;
  readonly bytes: number;
}

/** Frames to be rendered in advance so that some ranges play: with a margin, within the uncut stretches around them. */
export function rangesToRender({ work }: Prediction, ranges: readonly FrameRange[]): FrameRange[] {
  const { graph, cached } = work.preview;
  const whole = cached.filter(({ point }) => !point);
  const margin = Math.round(MARGIN_SECONDS * toNumber(graph.rate));
  const wanted = graph.stretches.flatMap((stretch) =>
    stretch.layers.length === 0
      ? []
      : ranges
          .filter(({ from, to }) => from < stretch.to && stretch.from < to)
          .map(({ from, to }) => ({
            from: Math.max(stretch.from, from - margin),
            to: Math.min(stretch.to, to + margin),
          })),
  );
  return mergeRanges(wanted).flatMap((range) => uncovered(range, whole));
}

/** Cached stretches as they would be after a render. */
export function imaginedStretches(
  situation: Situation,
  { work }: Prediction,
  ranges: readonly FrameRange[],
): CachedStretch[] {
  const { graph, playSize } = work.preview;
  return ranges.flatMap((range, at): CachedStretch[] => {
    const content = contentOf(graph, range, stampsOf(situation.sources));
    const frameCount = range.to - range.from;
    return content
      ? [
          {
            id: `imagined-${at}`,
            rate: graph.rate,
            size: playSize,
            frameCount,
            content,
            bytes: bytesOf(work, [range]),
          },
        ]
      : [];
  });
}

/** Expected cost of a render: the processor's work for these frames of the originals, on all cores. */
export function renderPrice(
  situation: Situation,
  { work }: Prediction,
  ranges: readonly FrameRange[],
): RenderPrice {
  const tuning = { ...situation.tuning, lightCopies: false, renderCache: false, bypass: [] };
  const { segments, cores } = buildWorkload(
    workOf({ ...situation, tuning }),
    situation.rig,
    situation.calibration,
  );
  const workMs = sum(ranges, (range) =>
    sum(segments, ({ from, to, decodes, decodeMs, decodeCores, scaleMs, effectsMs }) => {
      const [start, end] = [Math.max(from, range.from), Math.min(to, range.to)];
      if (start >= end) return 0;
      const pictures = sum(decodes.subarray(start - from, end - from));
      return pictures * decodeMs * decodeCores + (end - start) * (scaleMs + effectsMs);
    }),
  );
  return { seconds: workMs / cores / 1000, bytes: bytesOf(work, ranges) };
}

const bytesOf = ({ preview }: Prediction['work'], ranges: readonly FrameRange[]): number => {
  const { width, height } = preview.playSize;
  return Math.round(BYTES_PER_PIXEL * width * height * sum(ranges, ({ from, to }) => to - from));
};
