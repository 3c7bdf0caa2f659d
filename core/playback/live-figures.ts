import { toNumber, type Rational } from '../time/index.js';
import type { FrameLog } from './frame-log.js';

/** What a run under way has shown so far. */
export interface LiveFigures {
  /** Frames shown in the last second before the playhead; null before the first frame is settled. */
  readonly framesPerSecond: number | null;
  /** Frames dropped since the start of the run. */
  readonly dropped: number;
}

/**
 * @param playhead in frames of the timeline
 * @param rate of the timeline
 */
export function liveFigures(log: FrameLog, playhead: number, rate: Rational): LiveFigures {
  const perSecond = toNumber(rate);
  const end = Math.min(log.firstFrame + log.length, Math.floor(playhead) + 1);
  const recent = end - Math.round(perSecond);
  let [settled, shown, dropped] = [0, 0, 0];
  for (let frame = log.firstFrame; frame < end; frame++) {
    if (log.get(frame, 'settled') === 0) continue;
    const isShown = !Number.isNaN(log.get(frame, 'shown'));
    if (!isShown) dropped++;
    if (frame < recent) continue;
    settled++;
    if (isShown) shown++;
  }
  return { framesPerSecond: settled ? (perSecond * shown) / settled : null, dropped };
}
