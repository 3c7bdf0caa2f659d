import { toNumber, type Rational } from '../time/index.js';
import type { FrameLog } from './frame-log.js';

/** What a run under way has shown so far. */
export interface LiveFigures {
  /** Frames shown in the last second before the playhead; null before the first frame is settled. */
  readonly framesPerSecond: number | null;
  /** Frames dropped since the start of the run. */
  readonly dropped: number;
}

/** Frames of a run whose fate is known, and those of them that were shown. */
export interface SettledFrames {
  readonly settled: number;
  readonly shown: number;
}

/** Counts frames [from, to) of a run, as far as it has rows for them. */
export function settledFrames(log: FrameLog, from: number, to: number): SettledFrames {
  let [settled, shown] = [0, 0];
  const end = Math.min(to, log.firstFrame + log.length);
  for (let frame = Math.max(from, log.firstFrame); frame < end; frame++) {
    if (log.get(frame, 'settled') === 0) continue;
    settled++;
    if (!Number.isNaN(log.get(frame, 'shown'))) shown++;
  }
  return { settled, shown };
}

/**
 * @param playhead in frames of the timeline
 * @param rate of the timeline
 */
export function liveFigures(log: FrameLog, playhead: number, rate: Rational): LiveFigures {
  const perSecond = toNumber(rate);
  const end = Math.floor(playhead) + 1;
  const whole = settledFrames(log, log.firstFrame, end);
  const last = Math.min(log.firstFrame + log.length, end);
  const recent = settledFrames(log, last - Math.round(perSecond), last);
  return {
    framesPerSecond: recent.settled ? (perSecond * recent.shown) / recent.settled : null,
    dropped: whole.settled - whole.shown,
  };
}
