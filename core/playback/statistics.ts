import { frameBudgetMs, stageRecord, STAGES, type Stage } from './stage.js';
import type { FrameLog } from './frame-log.js';

/** Summary of a run. Times are in milliseconds; null means that it did not happen. */
export interface PacingSummary {
  /** Frames whose due time came during the run. */
  readonly wanted: number;
  readonly shown: number;
  readonly dropped: number;
  /** Share of the frames that is dropped in the second that drops most, 0 to 1; absent in older runs. */
  readonly worstSecondDropShare?: number | undefined;
  /** Share of the frames that each of sixty equal parts of the run drops, 0 to 1; absent in older runs. */
  readonly dropShares?: readonly number[] | undefined;
  /** Longest time that one picture stayed beyond its own frame's length. */
  readonly longestFreezeMs: number;
  /** From the press of play. */
  readonly firstFrameMs: number | null;
  /** From the first frame shown to the first frame dropped; null when none was. */
  readonly firstDropMs: number | null;
  /** Mean lateness of the frames that were shown. */
  readonly meanLatenessMs: number | null;
  readonly framesPerSecondShown: number;
  /** Mean cost of a wanted frame in each stage. */
  readonly stageMs: Readonly<Record<Stage, number>>;
  /** Pictures decoded for each wanted frame. */
  readonly decodedPerFrame: number;
}

/** Parts of a run whose drops are told apart. */
const DROP_PARTS = 60;

/** Share of the frames that may be dropped in a run that counts as real time, in the whole and in any one second. */
const REAL_TIME_DROPS = 0.01;
const REAL_TIME_DROPS_IN_A_SECOND = 0.1;

/** Whether a run is real time. There is no other rule for it. */
export const isRealTime = ({
  dropped,
  wanted,
  worstSecondDropShare = 0,
}: Pick<PacingSummary, 'dropped' | 'wanted' | 'worstSecondDropShare'>): boolean =>
  dropped <= REAL_TIME_DROPS * wanted && worstSecondDropShare <= REAL_TIME_DROPS_IN_A_SECOND;

/** The largest share of frames that any second of a run drops. @param isDropped of each wanted frame, in order */
function worstSecondOf(isDropped: readonly boolean[], framesPerSecond: number): number {
  const window = Math.max(1, Math.min(isDropped.length, Math.round(framesPerSecond)));
  let [dropped, most] = [0, 0];
  isDropped.forEach((each, at) => {
    dropped += Number(each) - Number(isDropped[at - window] ?? false);
    most = Math.max(most, dropped);
  });
  return most / window;
}

/** Share of the frames that equal parts of a run drop, in order. @param isDropped of each wanted frame, in order */
function dropSharesOf(isDropped: readonly boolean[]): number[] {
  const parts = Math.min(DROP_PARTS, isDropped.length);
  const start = (part: number): number => Math.round((part * isDropped.length) / parts);
  return Array.from({ length: parts }, (_, part) => {
    const frames = isDropped.slice(start(part), start(part + 1));
    return frames.filter(Boolean).length / frames.length;
  });
}

/**
 * @param log rows whose fate is known; unsettled rows are left out
 * @param rate frames per second of the timeline
 */
export function pacingSummary(log: FrameLog, rate: { num: number; den: number }): PacingSummary {
  const budgetMs = frameBudgetMs(rate);
  const totals = stageRecord(() => 0);
  let wanted = 0;
  let shown = 0;
  let decoded = 0;
  let lateness = 0;
  let firstShown = NaN;
  let firstDrop = NaN;
  let lastShown = NaN;
  let longestFreezeMs = 0;
  const isDropped: boolean[] = [];
  for (let frame = log.firstFrame; frame < log.firstFrame + log.length; frame++) {
    if (log.get(frame, 'settled') === 0) continue;
    wanted++;
    decoded += log.get(frame, 'decoded');
    for (const stage of STAGES) totals[stage] += log.get(frame, stage);
    const due = log.get(frame, 'due');
    const at = log.get(frame, 'shown');
    isDropped.push(Number.isNaN(at));
    if (Number.isNaN(at)) {
      if (Number.isNaN(firstDrop)) firstDrop = due;
      // A freeze that the end of the run cuts off counts as far as it was seen.
      if (!Number.isNaN(lastShown)) longestFreezeMs = Math.max(longestFreezeMs, due - lastShown);
      continue;
    }
    shown++;
    lateness += Math.max(0, at - due);
    if (Number.isNaN(firstShown)) firstShown = at;
    if (!Number.isNaN(lastShown)) longestFreezeMs = Math.max(longestFreezeMs, at - lastShown - budgetMs);
    lastShown = at;
  }
  const per = (total: number, count: number): number => (count ? total / count : 0);
  const known = (ms: number): number | null => (Number.isNaN(ms) ? null : ms);
  return {
    wanted,
    shown,
    dropped: wanted - shown,
    worstSecondDropShare: worstSecondOf(isDropped, rate.num / rate.den),
    dropShares: dropSharesOf(isDropped),
    longestFreezeMs,
    firstFrameMs: known(firstShown),
    firstDropMs: known(Math.max(0, firstDrop - (Number.isNaN(firstShown) ? 0 : firstShown))),
    meanLatenessMs: shown ? lateness / shown : null,
    framesPerSecondShown: wanted ? (shown / wanted) * (rate.num / rate.den) : 0,
    stageMs: stageRecord((stage) => per(totals[stage], wanted)),
    decodedPerFrame: per(decoded, wanted),
  };
}
