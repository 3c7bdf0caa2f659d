import {
  availableCores,
  coldDecodeMs,
  decodeMsOf,
  drawMsAt,
  isMade,
  skippableDecodeMs,
  type DecodeSegment,
  type Workload,
} from '../cost-model/index.js';
import { frameBudgetMs } from '../playback/index.js';

/** Share of the cores that a plan counts on: decoders and workers never load all cores evenly. */
const USABLE_CORE_SHARE = 0.95;

/**
 * Work of a segment by its frames. The unit is the work of all usable cores within one frame budget, so that a sum of 1
 * keeps up with playback.
 */
export interface SegmentWork {
  /** Decoding that continues from the frame before. */
  readonly sequential: Float64Array;
  /** Decoding that starts at the frame, from its key frame; Infinity where decoding cannot start. */
  readonly cold: Float64Array;
  /** Duration of `sequential`, in frame budgets: one decoder uses only so many cores. */
  readonly duration: Float64Array;
  /** Share of `sequential` that a frame saves when it is not shown and no other frame refers to it. */
  readonly skippable: Float64Array;
  /** Scaling and effects. */
  readonly render: Float64Array;
  /** Most work that its decoder does within one frame budget. */
  readonly maxPerFrame: number;
}

export interface DecodeWork {
  /** In the order of the workload's segments. */
  readonly segments: readonly SegmentWork[];
  /** Composing and presentation, by frame. */
  readonly present: Float64Array;
  readonly budgetMs: number;
}

/** Converts the costs of a workload from ms into shares of what the cores do within one frame budget. */
export function computeDecodeWork(workload: Workload): DecodeWork {
  const budgetMs = frameBudgetMs(workload.rate);
  const cores = availableCores(workload);
  const unitMs = cores * USABLE_CORE_SHARE * budgetMs;
  return {
    segments: workload.segments.map((segment) => computeSegmentWork(segment, unitMs, cores)),
    present: Float64Array.from(workload.composeMs, (ms, at) => {
      const { show, present } = drawMsAt(workload, workload.from + at);
      return (ms + show + present) / unitMs;
    }),
    budgetMs,
  };
}

function computeSegmentWork(segment: DecodeSegment, unitMs: number, cores: number): SegmentWork {
  const { decodeCores, firstMs, from, turned, scaleMs, effectsMs } = segment;
  const byFrame = (compute: (frame: number) => number): Float64Array =>
    Float64Array.from({ length: segment.to - from }, (_, at) => compute(from + at));
  const perCore = decodeCores / unitMs;
  return {
    sequential: byFrame((frame) => decodeMsOf(segment, frame) * perCore),
    duration: byFrame((frame) => (decodeMsOf(segment, frame) * Math.max(cores, decodeCores)) / unitMs),
    cold: byFrame((frame) =>
      // Backwards, decoding starts with a whole run.
      turned && (frame - from) % turned !== 0 ? Infinity : (firstMs + coldDecodeMs(segment, frame)) * perCore,
    ),
    skippable: byFrame((frame) => skippableDecodeMs(segment, frame) * perCore),
    render: byFrame((frame) => (isMade(segment, frame - from) ? (scaleMs + effectsMs) / unitMs : 0)),
    maxPerFrame: Math.min(decodeCores, cores) / (cores * USABLE_CORE_SHARE),
  };
}
