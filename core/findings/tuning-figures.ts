import type { Situation } from '../cost-model/index.js';
import type { Tuning } from '../levers/index.js';
import { isRealTime } from '../playback/index.js';
import { expectedDrops, predict, type Prediction } from '../simulation/index.js';
import { toNumber } from '../time/index.js';

/** How a whole timeline plays with a tuning. */
export interface TuningFigures {
  /** New pictures per second, on average: a picture that stands for two frames is one. */
  readonly framesPerSecond: number;
  readonly isRealTime: boolean;
}

/** Figures of a prediction of a whole timeline. */
export function figuresOf(prediction: Prediction): TuningFigures {
  const { work, workload, summary } = prediction;
  const { from, to } = workload;
  const dropShare = expectedDrops(prediction, from, to) / Math.max(1, to - from);
  return {
    framesPerSecond: ((1 - dropShare) * toNumber(workload.rate)) / work.preview.hold,
    isRealTime: isRealTime(summary),
  };
}

/** Predicts how a timeline plays with another tuning. @param now prediction of the situation as it is */
export const figuresWith = (situation: Situation, now: Prediction, tuning: Tuning): TuningFigures =>
  figuresOf(predict({ ...situation, tuning }, now));
