import {
  frameBudgetMs,
  isRealTime,
  STAGES,
  type FrameLog,
  type PacingSummary,
  type Stage,
} from '../playback/index.js';
import type { RenderGraph } from '../render/index.js';
import type { Span } from './cause.js';

/** A cause that holds playback back, with its evidence. */
export interface Finding {
  /** The stage that limits the run; null when the run was real time. */
  readonly stage: Stage | null;
  /** Mean cost of a wanted frame of the stretch in each stage, in per cent of the frame budget. */
  readonly loadPercent: Readonly<Record<Stage, number>>;
  readonly budgetMs: number;
  /** Timeline frames [from, to) where most of the dropped frames stand. */
  readonly from: number;
  readonly to: number;
  readonly dropped: number;
  readonly wanted: number;
  readonly framesPerSecondShown: number;
  /** Pictures decoded for each frame wanted in the stretch. */
  readonly decodedPerFrame: number;
}

/** Decoding runs beside the stages of the show line (compose and show) and, mostly, beside read. */
const isDecoderLine = (stage: Stage): boolean => stage === 'read' || stage === 'decode';

/** Stages that are worked through one after the other; the lines work side by side. */
const LINES: readonly (readonly Stage[])[] = [
  ['read'],
  ['decode'],
  ['scale', 'effects'],
  ['compose', 'show'],
];
/** A line that takes so much of the time of the one that seems longest, is what that one waits for. */
const WAITED_FOR = 0.85;

/** How many decoders, and how many of the workers that take their pictures, work side by side in a stretch, at the mean. */
export type Concurrency = (span: Span) => {
  readonly decoders: number;
  readonly workers: number;
};

const ALONE: Concurrency = () => ({ decoders: 1, workers: 1 });

/** What works side by side when a graph is played. @param workers that take pictures from decoders */
export function concurrencyOf({ stretches }: Pick<RenderGraph, 'stretches'>, workers: number): Concurrency {
  return (span) => {
    let frames = 0;
    let layers = 0;
    for (const { from, to, layers: here } of stretches) {
      const seen = here.length ? Math.max(0, Math.min(to, span.to) - Math.max(from, span.from)) : 0;
      frames += seen;
      layers += seen * here.length;
    }
    const decoders = frames ? layers / frames : 1;
    return { decoders, workers: Math.min(decoders, workers) };
  };
}

/**
 * Names the stage that limits a run: of the lines that work side by side, the one that takes longest over the frames
 * around which frames were dropped, and in it the costliest stage. A full line makes those before it wait, so that they
 * seem as long as itself, and never those behind it: of lines that are about as long, the last one is the limit.
 *
 * A frame that was dropped before it was scaled has no cost in the later stages; those are averaged over the frames
 * that passed through them.
 * @returns null when the run has no frames
 */
export function limitingStage(
  log: FrameLog,
  summary: PacingSummary,
  rate: { num: number; den: number },
  beside: Concurrency = ALONE,
): Finding | null {
  if (summary.wanted === 0) return null;
  const budgetMs = frameBudgetMs(rate);
  const span = droppedSpan(log, rate.num / rate.den);
  const { loads, wanted, decoded, worked } = loadsIn(log, [span], budgetMs);
  const limited = !isRealTime(summary);
  const stage = limited ? costliest(loads, beside(span)) : null;
  return {
    stage,
    loadPercent: loads,
    budgetMs,
    from: span.from,
    to: span.to,
    dropped: summary.dropped,
    wanted: summary.wanted,
    framesPerSecondShown: summary.framesPerSecondShown,
    decodedPerFrame: wanted ? decoded / Math.max(1, worked) : 0,
  };
}

/** The costliest stage of the line that the others wait for. */
export function costliest(
  loads: Readonly<Record<Stage, number>>,
  { decoders, workers }: ReturnType<Concurrency>,
): Stage {
  const sideBySide = [1, decoders, workers, 1];
  const sums = LINES.map((line, at) => line.reduce((sum, stage) => sum + loads[stage], 0) / sideBySide[at]!);
  const most = Math.max(...sums);
  const limit = LINES[sums.findLastIndex((sum) => sum >= WAITED_FOR * most)]!;
  return limit.reduce((heaviest, each) => (loads[each] > loads[heaviest] ? each : heaviest));
}

/**
 * Mean cost of a frame of some stretches of a run in each stage, per cent of the frame budget: of frames that the decoder
 * worked for in reading and decoding, and of those that passed through it in the other stages.
 */
export function loadsIn(
  log: FrameLog,
  spans: readonly Span[],
  budgetMs: number,
): {
  readonly loads: Readonly<Record<Stage, number>>;
  readonly wanted: number;
  readonly decoded: number;
  /** Frames for which the decoder worked: after a jump to a key frame the ones between were never decoded. */
  readonly worked: number;
} {
  const loads = Object.fromEntries(STAGES.map((stage) => [stage, 0])) as Record<Stage, number>;
  const passed = Object.fromEntries(STAGES.map((stage) => [stage, 0])) as Record<Stage, number>;
  let [wanted, decoded, worked] = [0, 0, 0];
  for (const { from, to } of spans)
    for (let frame = from; frame < to; frame++) {
      if (!log.has(frame) || log.get(frame, 'settled') === 0) continue;
      wanted++;
      decoded += log.get(frame, 'decoded');
      if (log.get(frame, 'decoded') > 0) worked++;
      for (const stage of STAGES) {
        const cost = log.get(frame, stage);
        loads[stage] += cost;
        if (cost > 0) passed[stage]++;
      }
    }
  for (const stage of STAGES) {
    const count = isDecoderLine(stage) ? worked : passed[stage];
    loads[stage] = count ? (100 * loads[stage]) / count / budgetMs : 0;
  }
  return { loads, wanted, decoded, worked };
}

// The stretch from the first to the last dropped frame, widened by a second, or the whole run when none was dropped.
function droppedSpan(log: FrameLog, framesPerSecond: number): Span {
  const end = log.firstFrame + log.length;
  let first = -1;
  let last = -1;
  for (let frame = log.firstFrame; frame < end; frame++) {
    if (log.get(frame, 'settled') === 0 || !Number.isNaN(log.get(frame, 'shown'))) continue;
    if (first < 0) first = frame;
    last = frame;
  }
  if (first < 0) return { from: log.firstFrame, to: end };
  const margin = Math.round(framesPerSecond);
  return { from: Math.max(log.firstFrame, first - margin), to: Math.min(end, last + 1 + margin) };
}
