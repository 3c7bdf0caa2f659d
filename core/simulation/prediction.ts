import {
  type Workload,
  type Calibration,
  type Coefficient,
  applyCalibration,
  buildWorkload,
  calibrationOn,
  type Work,
  residualOf,
  scaleCosts,
  workKey,
  workOf,
  type Situation,
  assumedVariability,
} from '../cost-model/index.js';
import { composingOn } from '../machine/index.js';
import type { DecodeRange } from '../pacing/index.js';
import {
  isRealTime,
  pacingSummary,
  stageRecord,
  type FrameLog,
  type PacingSummary,
} from '../playback/index.js';
import { cross, greatest, max, sum } from 'd3-array';
import { planDecoding, restrictWorkload, withoutKept, type PlanOptions } from './decode-plan.js';
import type { FreezeLimit } from './decode-search.js';
import { simulate, type SimulatedRun } from './simulation.js';

/** One simulation of a prediction. */
interface Played {
  readonly run: SimulatedRun;
  readonly summary: PacingSummary;
  /** Before `restrictWorkload`. */
  readonly workload: Workload;
}

/** Predicted playback of a timeline. */
export interface Prediction {
  /** The simulations that it was taken from, by how far their costs are off; those that need not be played are not. */
  readonly probes: readonly (Played | undefined)[];
  readonly work: Work;
  readonly workload: Workload;
  /** Ranges that the player decodes; undefined for everything. */
  readonly ranges: readonly DecodeRange[] | undefined;
  /** Figures that the rig was not measured for; their costs are estimates. */
  readonly unmeasured: readonly string[];
  readonly log: FrameLog;
  /** Probability that each frame is dropped, 0 to 1. */
  readonly drops: Float32Array;
  /** The log with each cost just as it is known: what a real run is compared with to learn from it. */
  readonly nominalLog: FrameLog;
  readonly summary: PacingSummary;
  /** Mean share of all cores in use, 0 to 1. */
  readonly coreUse: number;
  /** Frames a second that are shown if costs turn out lower or higher than they are taken to be: eight times of ten. */
  readonly framesPerSecond: { readonly low: number; readonly high: number };
}

/** Standard deviations of the probes: the outer two bound eight of ten costs, and the mean is of all. */
const TENTH = 1.2816;
const PROBES = [-TENTH, -0.5244, 0, 0.5244, TENTH];

/**
 * Predicts playback of a timeline. Costs have a spread, and near the frame budget a small difference decides; so five
 * simulations with costs across that spread yield the expected result. Four of them vary the speed of the cores; the one
 * with nominal costs does not, and runs are compared with it.
 * @param before prediction of a similar situation, of which unchanged parts are not simulated again
 */
export function predict(situation: Situation, before?: Prediction): Prediction {
  const work = workOf(situation);
  const middle = PROBES.indexOf(0);
  const { unmeasured, ...whole } = buildWorkload(work, situation.rig);
  const plain = withoutKept(whole, situation.kept);
  const unsteadiness = assumedVariability(situation.calibration.unsteadiness, situation.rig);
  const known = calibrationOn(situation.calibration, composingOn(situation.rig, work.preview.composeOn));
  const calibration = { ...known, ...(unsteadiness ? { unsteadiness } : {}) };
  const residual = calibration.residuals?.length ? residualOf(calibration, workKey(work)) : undefined;
  const workloadOf = (probe: number): Workload => {
    const calibrated = applyCalibration(plain, perturb(calibration, PROBES[probe]!), PROBES[probe]);
    const costed = residual ? scaleCosts(calibrated, Math.exp(residual.log)) : calibrated;
    return probe === middle ? { ...costed, unsteadiness: 0 } : costed;
  };
  const simulations = new Map<Prediction['ranges'], Map<number, Played>>();
  const simulateProbe: SimulateProbe = (probe, ranges) => {
    const ofRanges = simulations.get(ranges) ?? new Map<number, Played>();
    simulations.set(ranges, ofRanges);
    const done = ofRanges.get(probe);
    if (done) return done;
    const workload = workloadOf(probe);
    const restricted = restrictWorkload(workload, ranges);
    const run = simulate(restricted, { seed: probe + 1 }, before?.probes[probe]?.run);
    const played = { run, summary: pacingSummary(run.log, workload.rate), workload };
    ofRanges.set(probe, played);
    return played;
  };
  const { decoding } = situation;
  const ranges = decoding
    ? decoding === 'everything'
      ? undefined
      : decoding
    : planRanges([middle, middle + 1, PROBES.length - 1], simulateProbe);
  const played = (probe: number): Played => simulateProbe(probe, ranges);
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

/** Playback with a smaller share of frames shown, or with a longer freeze, needs a plan. */
const MIN_SHOWN_SHARE = 0.5;
const MAX_FREEZE_MS = 1500;
/** Shorter freezes do not disturb. */
const NOTICEABLE_FREEZE_MS = 500;
/** What plans are made for first. */
const FREEZE_LIMIT: FreezeLimit = { targetMs: 1300, penalty: 2 };
/** A freeze that is longer than the target by this much is as bad as half of the frames. */
const HALVING_EXCESS_MS = 2000;
/** Plans for other limits turn out better now and then: one for more frames, one for shorter freezes. */
const OTHER_FREEZE_LIMITS: readonly FreezeLimit[] = [
  { targetMs: 1300, penalty: 0.3 },
  { targetMs: 1000, penalty: 4 },
];
/** A plan that does not shorten freezes has to show more frames by this factor. */
const MIN_GAIN = 1.05;

/** Longer timelines get one plan: several would take too long to compare. */
const MAX_COMPARED_FRAMES = 2400;

type SimulateProbe = (probe: number, ranges: Prediction['ranges']) => Played;

/**
 * Plans decoding where playback needs it and improves with it, also at higher costs. Of plans for the costs of the first
 * and second probe, with and without overlapping decoders, and for several limits of freezes, the best one in the
 * simulation counts.
 */
function planRanges(
  probes: readonly [number, number, ...number[]],
  simulateProbe: SimulateProbe,
): Prediction['ranges'] {
  const { summary, workload } = simulateProbe(probes[0], undefined);
  const needsPlan =
    summary.shown < MIN_SHOWN_SHARE * summary.wanted || summary.longestFreezeMs > MAX_FREEZE_MS;
  if (isRealTime(summary) || !needsPlan) return undefined;
  const outcomeOf = (ranges: Prediction['ranges']): Outcome => {
    const summaries = probes.map((probe) => simulateProbe(probe, ranges).summary);
    const shown = sum(summaries, (each) => each.shown);
    const freezeMs = max(summaries, ({ longestFreezeMs }) => longestFreezeMs) ?? 0;
    const value = sum(summaries, (each) => {
      const excessMs = Math.max(0, each.longestFreezeMs - FREEZE_LIMIT.targetMs);
      return each.shown / (1 + excessMs / HALVING_EXCESS_MS);
    });
    return { ranges, shown, freezeMs, value };
  };
  const planned = (probe: number, options: PlanOptions): PlannedOutcome | undefined => {
    const ranges = planDecoding(simulateProbe(probe, undefined).workload, options);
    return ranges && { probe, options, ...outcomeOf(ranges) };
  };
  const isShort = workload.to - workload.from <= MAX_COMPARED_FRAMES;
  const first = cross(
    isShort ? [probes[0], probes[1]] : [probes[1]],
    isShort ? [true, false] : [true],
    (probe, overlaps) => planned(probe, { overlaps, freezeLimit: FREEZE_LIMIT }),
  ).filter((each) => each !== undefined);
  const promising = greatest(first, byValue);
  if (!promising) return undefined;
  const { probe, options } = promising;
  const others = (isShort ? OTHER_FREEZE_LIMITS : [])
    .map((freezeLimit) => planned(probe, { ...options, freezeLimit }))
    .filter((each) => each !== undefined);
  const without = outcomeOf(undefined);
  const best = greatest([...first, ...others], byValue)!;
  const shortensFreezes = best.freezeMs < without.freezeMs && best.value > without.value;
  // An even low frame rate is better than a higher one with freezes.
  const isAsEven = best.freezeMs <= Math.max(without.freezeMs, NOTICEABLE_FREEZE_MS);
  const showsMore = isAsEven && best.shown >= MIN_GAIN * without.shown;
  return shortensFreezes || showsMore ? best.ranges : undefined;
}

const byValue = (a: Outcome, b: Outcome): number => a.value - b.value;

/** Result of several simulations with the same ranges. */
interface Outcome {
  readonly ranges: Prediction['ranges'];
  readonly shown: number;
  readonly freezeMs: number;
  /** Frames shown, of which long freezes take a part away. */
  readonly value: number;
}

interface PlannedOutcome extends Outcome {
  /** Of whose costs the plan was made. */
  readonly probe: number;
  readonly options: PlanOptions;
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
 * Expected result of several simulations: the mean number of frames shown, and the first simulation that comes nearest to
 * it.
 */
function expectedOf(all: readonly Played[], drops: Float32Array): Played {
  const { wanted } = all[0]!.summary;
  const dropped = Math.round(drops.reduce((sum, each) => sum + each, 0));
  const shown = wanted - dropped;
  // Where the timeline probably drops frames, the simulation shown in detail is one that does.
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
