import { codingFamily } from './medium.js';
import { updateVariability, type SpeedVariability } from './speed-variability.js';
import type { DecodeSegment } from './workload.js';
import type { ComposeProcessor } from '../levers/index.js';
import { stageRecord, type FrameLog, type Stage } from '../playback/index.js';

/**
 * Calibration of a machine by its runs: factor between the real cost of each stage and its measured figures, as natural
 * logarithm with variance.
 */
export type Calibration = Readonly<Record<Stage, Coefficient>> & {
  /** Factors of decoding by kind of coding; other kinds have the factor of the stage. */
  readonly codings?: (Coefficient & { readonly coding: string })[] | undefined;
  /** Coefficients of frames that are composed on the graphics processor. */
  readonly onGraphics?: ComposedCoefficients | undefined;
  readonly unsteadiness?: SpeedVariability | undefined;
  /** Residuals of the timelines played last. */
  readonly residuals?: Residual[] | undefined;
  /** Key of the run that was learned last. */
  readonly lastPlayed?: string | undefined;
};

/** Coefficients of the stages that composing on another processor changes. */
export type ComposedCoefficients = Readonly<Record<'effects' | 'compose' | 'show', Coefficient>>;

/** Factor between the real cost of a timeline and the sum of its stages, learned from its runs. */
export interface Residual {
  /** Hash of the played clips, effects, media and sizes. */
  readonly key: string;
  /** Natural logarithm of the factor of all costs. */
  readonly log: number;
  /** Number of runs it is learned from. */
  readonly runs: number;
}

export interface Coefficient {
  /** Natural logarithm of the factor. */
  readonly log: number;
  readonly variance: number;
}

/** Prior: figures are right within 35 % (one standard deviation). */
const BEFORE: Coefficient = { log: 0, variance: 0.12 };
/** Variance of a run's mean of a stage; it rises where the mean is of fewer than `MANY` services. */
const OF_RUN = 0.03;
const MANY = 60;
/**
 * Absolute error of a mean, ms: a stage that takes little tells little of its cost under load. A stage above its figure
 * was perhaps waiting, so its error is larger.
 */
const OFF_MS = 1;
const WAITING_MS = 2;
/** Variance added from run to run. */
const FORGOTTEN = 0.004;
/** Least time of a stage in a frame that calibrates it, ms. */
const LEAST_MS = 0.2;
/** Least number of services that calibrate a stage. */
const FEWEST = 12;
const MOST_LOG = Math.log(4);
/** A coefficient that is less uncertain was learned from runs. */
const KNOWN_VARIANCE = 0.03;
/** Letters by which a run is known again. */
const MOST_NAME = 400;
/** Kinds of coding that are remembered, those that were played last. */
const MOST_CODINGS = 60;

export const UNCALIBRATED: Calibration = stageRecord(() => BEFORE);

/** A calibration as it holds for frames that are composed on a processor. */
export function calibrationOn(calibration: Calibration, processor: ComposeProcessor): Calibration {
  if (processor === 'processor' || calibration === UNCALIBRATED) return calibration;
  return { ...calibration, ...(calibration.onGraphics ?? composedOf(UNCALIBRATED)) };
}

/** A calibration after a run on a processor. @param learned from the calibration that holds for it */
export function withLearned(
  before: Calibration,
  learned: Calibration,
  processor: ComposeProcessor,
): Calibration {
  if (processor === 'processor') return learned;
  return { ...learned, ...composedOf(before), onGraphics: composedOf(learned) };
}

const composedOf = ({ effects, compose, show }: Calibration): ComposedCoefficients => ({
  effects,
  compose,
  show,
});

/** The factor of decoding one kind of coding; of one that was never played, that of its family. */
export const decodeFactorOf = (calibration: Calibration, coding: string): number =>
  Math.exp(decodeLogOf(calibration, coding));

function decodeLogOf({ codings = [], decode }: Calibration, coding: string): number {
  const exact = codings.find((each) => each.coding === coding);
  if (exact) return exact.log;
  const family = codings.filter((each) => codingFamily(each.coding) === codingFamily(coding));
  if (!family.length) return decode.log;
  // A mean of the family, and of what it was taken to be before any run, as one more member.
  return family.reduce((sum, { log }) => sum + log, 0) / (family.length + 1);
}

export const factorOf = (calibration: Calibration, stage: Stage): number => Math.exp(calibration[stage].log);

/**
 * Takes in a run: recursive least squares for one coefficient a stage, and one for each kind of coding, in logarithms,
 * with slow forgetting (a scalar Kalman filter whose state drifts; Simon, Optimal State Estimation, 2006, chapter 5).
 * @param measured log of the run
 * @param predicted log of its simulation with the same calibration; of it, the frames of the run count
 * @param segments that were simulated: a kind of coding is learned of from frames in which nothing else is decoded
 */
export function calibrate(
  calibration: Calibration,
  measured: FrameLog,
  predicted: FrameLog,
  segments: readonly Pick<DecodeSegment, 'from' | 'to' | 'coding'>[] = [],
): Calibration {
  const stages = stageRecord((stage) => kalmanUpdate(calibration[stage], measured, predicted, stage));
  const known = calibration.codings ?? [];
  const played = [...new Set(segments.map(({ coding }) => coding))];
  const unplayed = known.filter(({ coding }) => !played.includes(coding));
  const codings = played.map((coding) => {
    const before = known.find((each) => each.coding === coding) ?? {
      ...BEFORE,
      log: decodeLogOf(calibration, coding),
    };
    const alone = aloneIn(segments, coding);
    return { coding, ...kalmanUpdate(before, measured, predicted, 'decode', alone) };
  });
  const isKnown = played.every((coding) =>
    known.some((each) => each.coding === coding && each.variance < KNOWN_VARIANCE),
  );
  // A repeated run shows the speed of the machine today, and not the error of predictions of other clips.
  const lastPlayed = nameOf(segments, measured);
  const isNew = lastPlayed !== calibration.lastPlayed;
  const unsteadiness = updateVariability(
    calibration.unsteadiness,
    measured,
    predicted,
    segments,
    isKnown && isNew,
  );
  return {
    ...stages,
    codings: [...unplayed, ...codings].slice(-MOST_CODINGS),
    ...(unsteadiness ? { unsteadiness } : {}),
    ...(calibration.onGraphics ? { onGraphics: calibration.onGraphics } : {}),
    residuals: calibration.residuals ?? [],
    lastPlayed,
  };
}

/** Key of the clips that a run played. */
function nameOf(
  segments: readonly Pick<DecodeSegment, 'from' | 'to' | 'coding'>[],
  { firstFrame, length }: FrameLog,
): string {
  const played = segments.filter(({ from, to }) => from < firstFrame + length && firstFrame < to);
  const text = played.map(({ from, to, coding }) => `${from}-${to} ${coding}`).join('; ');
  return text.slice(0, MOST_NAME);
}

/** One coefficient after a run. */
function kalmanUpdate(
  { log, variance }: Coefficient,
  measured: FrameLog,
  predicted: FrameLog,
  stage: Stage,
  counts: (frame: number) => boolean = () => true,
): Coefficient {
  const drifted = Math.min(BEFORE.variance, variance + FORGOTTEN);
  const [real, said] = [measured, predicted].map((each) => meanOf(each, stage, measured, counts));
  if (!real || !said) return { log, variance: drifted };
  const off = real.ms > said.ms ? WAITING_MS / said.ms : OFF_MS / real.ms;
  const uncertain = OF_RUN * (1 + MANY / Math.min(real.count, said.count)) + off ** 2;
  const gain = drifted / (drifted + uncertain);
  const next = log + gain * Math.log(real.ms / said.ms);
  return { log: Math.max(-MOST_LOG, Math.min(MOST_LOG, next)), variance: (1 - gain) * drifted };
}

/**
 * Whether a frame is made of pictures of one kind only, and is not the first of its clip: what a decoder takes to begin,
 * or to reach the place of a cut, is not what it takes for a picture.
 */
function aloneIn(
  segments: readonly Pick<DecodeSegment, 'from' | 'to' | 'coding'>[],
  wanted: string,
): (frame: number) => boolean {
  return (frame) => {
    const here = segments.filter(({ from, to }) => from <= frame && frame < to);
    return here.length > 0 && here.every(({ coding, from }) => coding === wanted && from < frame);
  };
}

/**
 * Mean ms of a stage for one of its services: for decoding a picture, for the others a frame that passed through.
 * Undefined when there are too few, or it takes next to nothing.
 */
function meanOf(
  log: FrameLog,
  stage: Stage,
  span: FrameLog,
  counts: (frame: number) => boolean,
): { readonly ms: number; readonly count: number } | undefined {
  let ms = 0;
  let count = 0;
  for (let frame = span.firstFrame; frame < span.firstFrame + span.length; frame++) {
    if (!log.has(frame) || log.get(frame, 'settled') === 0 || !counts(frame)) continue;
    const cost = log.get(frame, stage);
    ms += cost;
    if (stage === 'decode') count += log.get(frame, 'decoded');
    else if (cost > 0) count++;
  }
  return count >= FEWEST && ms / count > LEAST_MS ? { ms: ms / count, count } : undefined;
}
