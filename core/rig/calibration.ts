import { STAGES, type FrameLog, type Stage } from '../playback/index.js';

/**
 * What runs have taught of a machine: by how much each stage costs more or less than its figures say, as natural
 * logarithms with their variance.
 */
export type Calibration = Readonly<Record<Stage, Learned>>;

export interface Learned {
  /** Natural logarithm of the factor. */
  readonly log: number;
  readonly variance: number;
}

/** Before any run: figures are right, give or take 35 %. */
const BEFORE: Learned = { log: 0, variance: 0.12 };
/** What a run's mean of a stage is uncertain by. */
const OF_RUN = 0.03;
/** What is forgotten from run to run. */
const FORGOTTEN = 0.004;
/** A stage below so much of a frame's budget says too little about its figures, ms. */
const LEAST_MS = 0.2;
const MOST_LOG = Math.log(4);

export const NOTHING_LEARNED: Calibration = Object.fromEntries(
  STAGES.map((stage) => [stage, BEFORE]),
) as unknown as Calibration;

export const factorOf = (calibration: Calibration, stage: Stage): number => Math.exp(calibration[stage].log);

/**
 * Takes in a run: recursive least squares for one coefficient a stage, in logarithms, with slow forgetting (a scalar
 * Kalman filter whose state drifts; Simon, Optimal State Estimation, 2006, chapter 5).
 * @param measured log of the run
 * @param predicted log of its simulation with the same calibration; of it, the frames of the run count
 */
export function learned(calibration: Calibration, measured: FrameLog, predicted: FrameLog): Calibration {
  const entries = STAGES.map((stage): [Stage, Learned] => {
    const { log, variance } = calibration[stage];
    const drifted = Math.min(BEFORE.variance, variance + FORGOTTEN);
    const [real, said] = [measured, predicted].map((each) => meanOf(each, stage, measured));
    if (real === undefined || said === undefined) return [stage, { log, variance: drifted }];
    const gain = drifted / (drifted + OF_RUN);
    const next = log + gain * Math.log(real / said);
    return [stage, { log: Math.max(-MOST_LOG, Math.min(MOST_LOG, next)), variance: (1 - gain) * drifted }];
  });
  return Object.fromEntries(entries) as unknown as Calibration;
}

/**
 * Mean ms of a stage for one of its services: for decoding a picture, for the others a frame that passed through.
 * Undefined when there are too few, or it takes next to nothing.
 */
function meanOf(log: FrameLog, stage: Stage, span: FrameLog): number | undefined {
  let ms = 0;
  let count = 0;
  for (let frame = span.firstFrame; frame < span.firstFrame + span.length; frame++) {
    if (!log.has(frame) || log.get(frame, 'settled') === 0) continue;
    const cost = log.get(frame, stage);
    ms += cost;
    if (stage === 'decode') count += log.get(frame, 'decoded');
    else if (cost > 0) count++;
  }
  return count >= 12 && ms / count > LEAST_MS ? ms / count : undefined;
}
