import type { Situation } from '../cost-model/index.js';
import type { Tuning } from '../levers/index.js';
import { isRealTime } from '../playback/index.js';
import { expectedDrops, predict, type Prediction } from '../simulation/index.js';
import { toNumber } from '../time/index.js';

/** How a whole timeline plays with a tuning. */
export interface TuningFigures {
  /** Frames shown per second, on average. */
  readonly framesPerSecond: number;
  readonly isRealTime: boolean;
}

/** Figures of a prediction of a whole timeline. */
export function figuresOf(prediction: Prediction): TuningFigures {
  const { workload, summary } = prediction;
  const { from, to } = workload;
  const dropShare = expectedDrops(prediction, from, to) / Math.max(1, to - from);
  return { framesPerSecond: (1 - dropShare) * toNumber(workload.rate), isRealTime: isRealTime(summary) };
}

/**
 * Predicts how a timeline plays with each of some tunings.
 * @param now prediction of the situation as it is
 * @yields after each prediction: a caller with something more urgent to do may end it there
 * @returns one for each tuning, in their order
 */
export function* predictingTunings(
  situation: Situation,
  now: Prediction,
  tunings: readonly Tuning[],
): Generator<void, TuningFigures[]> {
  const all: TuningFigures[] = [];
  for (const tuning of tunings) {
    all.push(figuresOf(predict({ ...situation, tuning }, now)));
    yield;
  }
  return all;
}
