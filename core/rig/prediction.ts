import type { Tuning } from '../levers/index.js';
import type { PacketIndex } from '../media/index.js';
import {
  pacingSummary,
  simulate,
  type FrameLog,
  type LineDrive,
  type PacingSummary,
  type PlaybackLine,
} from '../playback/index.js';
import { chosenCopies, previewGraph, type ChoosableCopy } from '../render/index.js';
import type { Timeline } from '../timeline/index.js';
import type { Calibration, Learned } from './calibration.js';
import { lineOf, type Work } from './line-of.js';
import { playedMedium, type PlayableCopy, type PlayableSource, type PlayedMedium } from './medium.js';
import type { MemoryShares } from './memory.js';
import type { Rig } from './rig.js';

export interface KnownSource extends PlayableSource {
  readonly id: string;
  readonly state: string;
}

export interface KnownCopy extends PlayableCopy, ChoosableCopy {
  readonly id: string;
}

/** Everything that a prediction is made from. */
export interface Situation {
  readonly timeline: Timeline;
  readonly tuning: Tuning;
  readonly sources: readonly KnownSource[];
  readonly copies: readonly KnownCopy[];
  /** Packet indexes by source, as far as they were read. */
  readonly indexes?: ReadonlyMap<string, PacketIndex> | undefined;
  readonly rig: Rig;
  readonly shares: MemoryShares;
  /** A simulated drive that everything is read through. */
  readonly drive: LineDrive | null;
  readonly calibration: Calibration;
}

/** What will be played of a timeline: where each picture comes from, and in which size it is shown. */
export function workOf({ timeline, tuning, sources, copies, indexes, rig, shares, drive }: Situation): Work {
  const known = new Map(sources.map((source) => [source.id, source]));
  const chosen = chosenCopies(timeline, tuning, sources, copies);
  const preview = previewGraph(
    timeline,
    tuning,
    (id) => known.get(id)?.facts ?? undefined,
    (id) => chosen.get(id)?.id,
  );
  const copyDrive = rig.drives.find(({ holds }) => holds.includes('light copies'))?.drive ?? '';
  const media = new Map<string, PlayedMedium>();
  for (const [id, choice] of Object.entries(preview.media)) {
    const source = known.get(id);
    const copy = choice.kind === 'light copy' ? chosen.get(id) : undefined;
    if (!source || (!copy && source.state !== 'ready')) continue;
    const medium = playedMedium(source, copy, copyDrive, indexes?.get(id));
    if (medium) media.set(id, medium);
  }
  return { preview, media, shares, drive };
}

/** What playback will do. */
export interface Prediction {
  readonly work: Work;
  readonly line: PlaybackLine;
  /** What the rig was not measured for; it counts as costing nothing. */
  readonly unmeasured: readonly string[];
  readonly log: FrameLog;
  /** The log with each cost just as it is known: what a real run is compared with to learn from it. */
  readonly asKnown: FrameLog;
  readonly summary: PacingSummary;
  /** Mean share of all cores in use, 0 to 1. */
  readonly coreUse: number;
  /** Frames a second that are shown if costs turn out lower or higher than they are taken to be: nine times of ten. */
  readonly framesPerSecond: { readonly low: number; readonly high: number };
}

/** Standard deviations at which nine of ten costs lie below, and the ones between that a middle is taken from. */
const NINE_OF_TEN = 1.2816;
const PROBES = [-NINE_OF_TEN, -0.5244, 0, 0.5244, NINE_OF_TEN];

/**
 * Predicts what playback of a stretch will do. Costs are known to a spread only, and near the frame budget a little
 * more or less decides; so it is simulated for five costs spread over what they may be, and the middle one is taken.
 * @param from first timeline frame @param to behind the last
 */
export function predicted(situation: Situation, from = 0, to?: number): Prediction {
  const work = workOf(situation);
  const end = to ?? work.preview.graph.length;
  const runs = PROBES.map((deviations) => {
    const calibration = shifted(situation.calibration, deviations);
    const { unmeasured, ...line } = lineOf(work, situation.rig, from, end, calibration);
    const { log, coreUse } = simulate(line);
    return { line, unmeasured, log, coreUse, summary: pacingSummary(log, line.rate) };
  });
  const sorted = [...runs].sort((a, b) => a.summary.shown - b.summary.shown);
  const middle = sorted[Math.floor(sorted.length / 2)]!;
  return {
    work,
    ...middle,
    asKnown: runs[Math.floor(PROBES.length / 2)]!.log,
    framesPerSecond: {
      low: sorted[0]!.summary.framesPerSecondShown,
      high: sorted.at(-1)!.summary.framesPerSecondShown,
    },
  };
}

// All costs together are a little more or less: what they are uncertain by is mostly how fast the machine is today.
function shifted(calibration: Calibration, deviations: number): Calibration {
  const entries = Object.entries(calibration).map(([stage, { log, variance }]): [string, Learned] => [
    stage,
    { log: log + deviations * Math.sqrt(variance) * DAILY, variance },
  ]);
  return Object.fromEntries(entries) as unknown as Calibration;
}

/** Part of the spread of a coefficient that all of them share from one run to the next. */
const DAILY = 0.5;
