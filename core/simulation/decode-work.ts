import { decodeWork, isMade, stageWork, type DecodeSegment, type Workload } from '../cost-model/index.js';
import { MOST_TURNED } from '../pacing/index.js';
import { frameBudgetMs } from '../playback/index.js';

/**
 * Share of the cores that a plan counts on: work is never spread over them quite evenly. With more, plans of the benchmark
 * `overload` did not keep their times; with less, they left out what could have been shown.
 */
const USABLE = 0.95;

/** What a segment asks for in each of its frames. Work is in that of all cores in the time of a frame. */
export interface SegmentWork {
  /** Decoding when it goes on, and when it begins there; the latter is Infinity where it cannot begin. */
  readonly onwards: Float64Array;
  readonly cold: Float64Array;
  /** Least time of decoding when it goes on, in frames, with as many cores as its decoder can use. */
  readonly serial: Float64Array;
  /** What of it is spared when the frame is not shown, since no other picture refers to its own. */
  readonly spared: Float64Array;
  /** Making the picture. */
  readonly made: Float64Array;
  /** Most work that its decoder gets done in the time of a frame. */
  readonly most: number;
}

/** What the frames of a workload ask for. */
export interface DecodeWork {
  readonly segments: readonly SegmentWork[];
  /** Composing and showing each frame. */
  readonly composed: Float64Array;
  readonly budgetMs: number;
}

export function decodeWorkOf(workload: Workload): DecodeWork {
  const budgetMs = frameBudgetMs(workload.rate);
  const cores = Math.max(0.2, workload.cores - workload.coresOfOthers);
  const unit = cores * USABLE * budgetMs;
  const { showMs, presentMs } = workload;
  return {
    segments: workload.segments.map((segment) => segmentWork(segment, unit, budgetMs * USABLE, cores)),
    composed: Float64Array.from(workload.composeMs, (ms) => (ms + showMs + presentMs) / unit),
    budgetMs,
  };
}

function segmentWork(segment: DecodeSegment, unit: number, frameMs: number, cores: number): SegmentWork {
  const { decodeCores, decodeMs, firstMs, isBackwards, unreferenced, ownBits } = segment;
  const of = (ms: (at: number) => number): Float64Array =>
    Float64Array.from({ length: segment.to - segment.from }, (_, at) => ms(at));
  const going = of((at) => decodeMs * stageWork(segment, 'decode', segment.from + at));
  const used = Math.min(decodeCores, cores);
  return {
    onwards: going.map((ms) => (ms * decodeCores) / unit),
    serial: going.map((ms) => (ms * Math.max(1, decodeCores / cores)) / frameMs),
    cold: of((at) => {
      // Backwards, a run of frames is turned round as a whole.
      if (isBackwards && at % MOST_TURNED !== 0) return Infinity;
      const pictures = decodeWork(segment, segment.coldDecodes[at]!, segment.coldBits?.[at]);
      return ((firstMs + decodeMs * pictures) * decodeCores) / unit;
    }),
    spared: of((at) =>
      unreferenced?.[at] === 1
        ? (Math.min(going[at]!, decodeMs * decodeWork(segment, 1, ownBits?.[at])) * decodeCores) / unit
        : 0,
    ),
    made: of((at) => (isMade(segment, at) ? (segment.scaleMs + segment.effectsMs) / unit : 0)),
    most: used / (cores * USABLE),
  };
}
