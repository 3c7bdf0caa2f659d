import { frameBudgetMs, STAGES, type FrameLog, type PacingSummary, type Stage } from '../playback/index.js';

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

/**
 * Names the stage that limits a run: the costliest one over the frames around which frames were dropped. Reading and
 * decoding work side by side with the rest, so stages are compared and not summed.
 *
 * A frame that was dropped before it was scaled has no cost in the later stages; those are averaged over the frames
 * that passed through them.
 * @returns null when the run has no frames
 */
export function limitingStage(
  log: FrameLog,
  summary: PacingSummary,
  rate: { num: number; den: number },
): Finding | null {
  if (summary.wanted === 0) return null;
  const budgetMs = frameBudgetMs(rate);
  const spans = droppedSpan(log, rate.num / rate.den);
  const loads = Object.fromEntries(STAGES.map((stage) => [stage, 0])) as Record<Stage, number>;
  let wanted = 0;
  let decoded = 0;
  const passed = Object.fromEntries(STAGES.map((stage) => [stage, 0])) as Record<Stage, number>;
  for (let frame = spans.from; frame < spans.to; frame++) {
    if (log.get(frame, 'settled') === 0) continue;
    wanted++;
    decoded += log.get(frame, 'decoded');
    for (const stage of STAGES) {
      const cost = log.get(frame, stage);
      loads[stage] += cost;
      if (cost > 0) passed[stage]++;
    }
  }
  for (const stage of STAGES) {
    const count = isDecoderLine(stage) ? decodedFrames(log, spans) : passed[stage];
    loads[stage] = count ? (100 * loads[stage]) / count / budgetMs : 0;
  }
  const limited = summary.dropped > REAL_TIME_DROPS * summary.wanted;
  const stage = limited ? STAGES.reduce((most, each) => (loads[each] > loads[most] ? each : most)) : null;
  return {
    stage,
    loadPercent: loads,
    budgetMs,
    from: spans.from,
    to: spans.to,
    dropped: summary.dropped,
    wanted: summary.wanted,
    framesPerSecondShown: summary.framesPerSecondShown,
    decodedPerFrame: wanted ? decoded / Math.max(1, decodedFrames(log, spans)) : 0,
  };
}

/** A run that drops no more than one frame in a hundred is real time. */
export const REAL_TIME_DROPS = 0.01;

// Frames for which the decoder worked: after a jump to a key frame the ones between were never decoded.
function decodedFrames(log: FrameLog, span: { from: number; to: number }): number {
  let count = 0;
  for (let frame = span.from; frame < span.to; frame++) if (log.get(frame, 'decoded') > 0) count++;
  return count;
}

// The stretch from the first to the last dropped frame, widened by a second, or the whole run when none was dropped.
function droppedSpan(log: FrameLog, framesPerSecond: number): { from: number; to: number } {
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
