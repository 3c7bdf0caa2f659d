import { composingOn } from '../machine/index.js';
import type { FrameLog, RunFacts } from '../playback/index.js';
import {
  calibrate,
  calibrationOn,
  type Calibration,
  residualOf,
  withLearned,
  workKey,
  type Residual,
  type Situation,
} from '../cost-model/index.js';
import { expectedDrops, predict, type Prediction } from './prediction.js';

/** Largest error of the share of frames shown that needs no residual. */
const CLOSE = 0.02;
/** Largest step of a residual per run, and its bound, as natural logarithms. */
const MOST_STEP = 0.8;
const MOST_LOG = 1.2;
const BISECTIONS = 6;
/** Number of runs that a residual is the mean of; older ones fade. */
const MOST_RUNS = 3;
/** Number of residuals kept: those of the timelines played last. */
const MOST_RESIDUALS = 40;
/** Least number of frames of a run that moves a residual. */
const FEWEST_FRAMES = 48;

/**
 * Calibration after a run: first the cost of each stage and kind of coding (`calibrate`), then the residual, one factor of
 * all costs with which the prediction of this timeline shows as many frames as the run did.
 * @param log of a run of the situation, without other programs or moved levers
 * @param ranges that the player decoded in the run; undefined for everything
 * @param kept pictures that were in memory when play was pressed
 */
export function learnRun(
  situation: Situation,
  log: FrameLog,
  { ranges, kept }: Pick<RunFacts, 'ranges' | 'kept'>,
): Calibration {
  const predictRun = (given: Situation): Prediction =>
    predict({ ...given, decoding: ranges ?? 'everything', kept });
  const { nominalLog, workload, work } = predictRun(situation);
  if (!nominalLog.has(log.firstFrame) || !nominalLog.has(log.firstFrame + log.length - 1))
    return situation.calibration;
  const processor = composingOn(situation.rig, work.preview.composeOn);
  const before = calibrationOn(situation.calibration, processor);
  const learned = calibrate(before, log, nominalLog, workload.segments);
  const calibration = withLearned(situation.calibration, learned, processor);
  const shown = shareShown(log);
  if (log.length < FEWEST_FRAMES || shown === undefined) return calibration;
  const key = workKey(work);
  const known = residualOf(calibration, key);
  const others = (calibration.residuals ?? []).filter((each) => each.key !== key);
  const withResidual = (residual: Residual): Calibration => ({
    ...calibration,
    residuals: [...others, residual].slice(-MOST_RESIDUALS),
  });
  const runs = Math.min(MOST_RUNS, (known?.runs ?? 0) + 1);
  const knownLog = known?.log ?? 0;
  const errorAt = (residualLog: number): number => {
    const tried = withResidual({ key, log: residualLog, runs });
    return expectedShare(predictRun({ ...situation, calibration: tried }), log) - shown;
  };
  const solved = bisect(errorAt, knownLog);
  return withResidual({ key, log: knownLog + (solved - knownLog) / runs, runs });
}

/** Argument closest to `start` at which a falling function is close to zero; without one, the argument of its smallest value. */
function bisect(errorAt: (at: number) => number, start: number): number {
  const first = errorAt(start);
  if (Math.abs(first) <= CLOSE) return start;
  let [near, far] = [
    start,
    first > 0 ? Math.min(MOST_LOG, start + MOST_STEP) : Math.max(-MOST_LOG, start - MOST_STEP),
  ];
  let best = { at: start, error: Math.abs(first) };
  for (let round = 0; round < BISECTIONS; round++) {
    const at = (near + far) / 2;
    const error = errorAt(at);
    const isClose = Math.abs(error) <= CLOSE;
    if (isClose || Math.abs(error) < best.error) best = { at, error: Math.abs(error) };
    // A run that shows every planned frame only bounds its costs from above.
    if (isClose || error > 0 !== first > 0) far = at;
    else near = at;
  }
  return best.at;
}

function shareShown(log: FrameLog): number | undefined {
  let [wanted, shown] = [0, 0];
  for (let frame = log.firstFrame; frame < log.firstFrame + log.length; frame++) {
    if (log.get(frame, 'settled') === 0) continue;
    wanted++;
    if (!Number.isNaN(log.get(frame, 'shown'))) shown++;
  }
  return wanted ? shown / wanted : undefined;
}

const expectedShare = (prediction: Prediction, { firstFrame, length }: FrameLog): number =>
  1 - expectedDrops(prediction, firstFrame, firstFrame + length) / length;
