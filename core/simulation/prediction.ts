import {
  type Workload,
  type Calibration,
  type Coefficient,
  applyCalibration,
  buildWorkload,
  type Work,
  residualOf,
  scaleCosts,
  workKey,
  workOf,
  type Situation,
  assumedVariability,
} from '../cost-model/index.js';
import type { DecodeRange } from '../pacing/index.js';
import {
  isRealTime,
  pacingSummary,
  stageRecord,
  type FrameLog,
  type PacingSummary,
} from '../playback/index.js';
import { max, sum } from 'd3-array';
import { planDecoding, plannedWorkload } from './decode-plan.js';
import { simulate, type SimulatedRun } from './simulation.js';

/** One simulation of a prediction. */
interface Played {
  readonly run: SimulatedRun;
  readonly summary: PacingSummary;
  /** What it simulates, with all that is decoded when nothing is left out. */
  readonly workload: Workload;
}

/** What playback will do. */
export interface Prediction {
  /** The simulations that it was taken from, by how far their costs are off; those that need not be played are not. */
  readonly probes: readonly (Played | undefined)[];
  readonly work: Work;
  readonly workload: Workload;
  /** What is decoded; undefined where everything is. */
  readonly ranges: readonly DecodeRange[] | undefined;
  /** What the rig was not measured for; it counts as costing nothing. */
  readonly unmeasured: readonly string[];
  readonly log: FrameLog;
  /** How likely each frame is dropped, 0 to 1. */
  readonly drops: Float32Array;
  /** The log with each cost just as it is known: what a real run is compared with to learn from it. */
  readonly nominalLog: FrameLog;
  readonly summary: PacingSummary;
  /** Mean share of all cores in use, 0 to 1. */
  readonly coreUse: number;
  /** Frames a second that are shown if costs turn out lower or higher than they are taken to be: eight times of ten. */
  readonly framesPerSecond: { readonly low: number; readonly high: number };
}

/** Standard deviations between which eight of ten costs lie, and the ones between them that a mean is taken of. */
const TENTH = 1.2816;
const PROBES = [-TENTH, -0.5244, 0, 0.5244, TENTH];

/**
 * Predicts what playback of a stretch will do. Costs are known to a spread only, and near the frame budget a little
 * more or less decides; so it is simulated for five costs spread over what they may be, and what they show at the mean is expected.
 * Four of them are on a machine as unsteady as this one; the fifth, with each cost as it is known, is what runs are
 * compared with.
 * @param before a prediction of nearly the same: only what has changed is played again
 * @param decoding what the player decodes: `planned`, or what it was told for a run
 */
export function predict(
  situation: Situation,
  before?: Prediction,
  decoding: 'planned' | { readonly ranges: readonly DecodeRange[] | undefined } = 'planned',
): Prediction {
  const work = workOf(situation);
  const middle = PROBES.indexOf(0);
  const { unmeasured, ...plain } = buildWorkload(work, situation.rig);
  const unsteadiness = assumedVariability(situation.calibration.unsteadiness, situation.rig);
  const calibration = { ...situation.calibration, ...(unsteadiness ? { unsteadiness } : {}) };
  const residual = calibration.residuals?.length ? residualOf(calibration, workKey(work)) : undefined;
  const workloadOf = (probe: number): Workload => {
    const calibrated = applyCalibration(plain, perturb(calibration, PROBES[probe]!), PROBES[probe]);
    const costed = residual ? scaleCosts(calibrated, Math.exp(residual.log)) : calibrated;
    return probe === middle ? { ...costed, unsteadiness: 0 } : costed;
  };
  // Each is played once, as a whole and as planned.
  const known = new Map<string, Played>();
  const playedBy = (probe: number, ranges: Prediction['ranges']): Played => {
    const key = `${probe} ${ranges ? 'planned' : 'whole'}`;
    const workload = workloadOf(probe);
    const play = (): Played => {
      const given = plannedWorkload(workload, ranges);
      const run = simulate(given, { seed: probe + 1 }, before?.probes[probe]?.run);
      return { run, summary: pacingSummary(run.log, workload.rate), workload };
    };
    const played = known.get(key) ?? play();
    known.set(key, played);
    return played;
  };
  const plan = (): Prediction['ranges'] =>
    situation.decodesAll ? undefined : worthwhileRanges([middle, middle + 1, PROBES.length - 1], playedBy);
  const ranges = decoding === 'planned' ? plan() : decoding.ranges;
  const played = (probe: number): Played => playedBy(probe, ranges);
  // What plays with the highest costs plays with all.
  const heaviest = played(PROBES.length - 1);
  const own = played(middle);
  const isEasy = heaviest.summary.dropped === 0;
  const probes = PROBES.map((_, probe) =>
    probe === middle ? own : probe === PROBES.length - 1 ? heaviest : isEasy ? undefined : played(probe),
  );
  const sorted = probes
    .filter((each) => each !== undefined)
    .sort((a, b) => a.summary.shown - b.summary.shown);
  const all = isEasy ? [own] : [own, ...sorted.filter((each) => each !== own)];
  const drops = dropsOf(all);
  const { run, summary, workload } = expectedOf(all, drops);
  return {
    ...{
      work,
      unmeasured,
      probes,
      workload,
      ranges,
      log: run.log,
      summary,
      drops,
      coreUse: own.run.coreUse,
    },
    nominalLog: own.run.log,
    framesPerSecond: {
      low: sorted[0]!.summary.framesPerSecondShown,
      high: sorted.at(-1)!.summary.framesPerSecondShown,
    },
  };
}

/** Playback that shows less of its frames, or freezes for longer, ms, is bad enough to plan what is decoded. */
const BAD_SHARE = 0.5;
const LONG_FREEZE_MS = 1500;
/** A picture that stands for less is not seen as a freeze, ms. */
const SHORT_FREEZE_MS = 500;
/** A plan must show this many times as many frames, or nearly as many with a shorter freeze. */
const WORTHWHILE = 1.05;
const NEARLY = 0.9;

/**
 * A plan of what is decoded, where playback is bad without one and better with it, also when costs turn out higher.
 * @param probes that it is tried with; it is made for the second
 */
function worthwhileRanges(
  probes: readonly [number, number, ...number[]],
  play: (probe: number, ranges: Prediction['ranges']) => Played,
): Prediction['ranges'] {
  const first = play(probes[0], undefined);
  if (isRealTime(first.summary)) return undefined;
  const without = shownBy([first]);
  const isBad = without.shown < BAD_SHARE * first.summary.wanted || without.freezeMs > LONG_FREEZE_MS;
  if (!isBad) return undefined;
  const others = probes.slice(1).map((probe) => play(probe, undefined));
  const ranges = planDecoding(others[0]!.workload);
  if (!ranges) return undefined;
  const before = shownBy([first, ...others]);
  const after = shownBy(probes.map((probe) => play(probe, ranges)));
  const isSmoother = after.freezeMs < before.freezeMs && after.shown >= NEARLY * before.shown;
  // Few frames that follow each other evenly are better than more with pauses.
  const isAsEven = after.freezeMs <= Math.max(before.freezeMs, SHORT_FREEZE_MS);
  return isSmoother || (isAsEven && after.shown >= WORTHWHILE * before.shown) ? ranges : undefined;
}

/** Frames that several simulations show together, and the longest that a picture stands in any of them, ms. */
function shownBy(all: readonly Played[]): { readonly shown: number; readonly freezeMs: number } {
  return {
    shown: sum(all, ({ summary }) => summary.shown),
    freezeMs: max(all, ({ summary }) => summary.longestFreezeMs) ?? 0,
  };
}

/** Share of several simulations in which each frame is dropped. */
function dropsOf(all: readonly Played[]): Float32Array {
  const { from, to } = all[0]!.run.workload;
  const drops = new Float32Array(to - from);
  for (const { run } of all)
    for (let frame = from; frame < to; frame++)
      if (run.log.get(frame, 'settled') > 0 && Number.isNaN(run.log.get(frame, 'shown')))
        drops[frame - from]! += 1 / all.length;
  return drops;
}

/** Frames of the timeline that are expected to be dropped in [from, to). */
export function expectedDrops(
  { drops, workload }: { readonly drops: Float32Array; readonly workload: Pick<Workload, 'from'> },
  from: number,
  to: number,
): number {
  return drops.subarray(from - workload.from, to - workload.from).reduce((sum, each) => sum + each, 0);
}

/**
 * What is expected of several simulations: what they show at the mean, and the one that comes nearest to it; of several,
 * the first.
 */
function expectedOf(all: readonly Played[], drops: Float32Array): Played {
  const { wanted } = all[0]!.summary;
  const dropped = Math.round(drops.reduce((sum, each) => sum + each, 0));
  const shown = wanted - dropped;
  // Where it will probably not play, what is shown in detail is one that does not.
  const alike = all.filter(({ summary }) => isRealTime(summary) === isRealTime({ dropped, wanted }));
  const off = ({ summary }: Played): number => Math.abs(summary.shown - shown);
  const { run, summary, workload } = (alike.length ? alike : all).reduce((best, each) =>
    off(each) < off(best) ? each : best,
  );
  const framesPerSecondShown =
    all.reduce((sum, each) => sum + each.summary.framesPerSecondShown, 0) / all.length;
  return { run, workload, summary: { ...summary, shown, dropped, framesPerSecondShown } };
}

// All costs together are a little more or less: what they are uncertain by is mostly how fast the machine
// is today, and that differs from run to run.
function perturb(calibration: Calibration, deviations: number): Calibration {
  const ofRuns = calibration.unsteadiness?.ofRuns ?? 0;
  const more = <T extends Coefficient>(each: T): T => ({
    ...each,
    log: each.log + deviations * Math.sqrt(each.variance * DAILY ** 2 + ofRuns),
  });
  return {
    ...stageRecord((stage) => more(calibration[stage])),
    codings: (calibration.codings ?? []).map(more),
    unsteadiness: calibration.unsteadiness,
  };
}

/** Part of the spread of a coefficient that all of them share from one run to the next. */
const DAILY = 0.5;
