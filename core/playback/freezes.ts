import type { FrameLog } from './frame-log.js';

/** A picture that stayed on the screen beyond its own frame. */
export interface Freeze {
  /** The first frame that was dropped, or that came late. */
  readonly frame: number;
  readonly droppedFrames: number;
  /** From when its first frame was due until the next picture came, or until the run ended. */
  readonly freezeMs: number;
}

/** Freezes of a run, the longest first. */
export function longestFreezes(log: FrameLog, budgetMs: number, most = 10): Freeze[] {
  const moments: Freeze[] = [];
  const end = log.firstFrame + log.length;
  for (let frame = log.firstFrame; frame < end; frame++) {
    if (log.get(frame, 'settled') === 0 || !Number.isNaN(log.get(frame, 'shown'))) continue;
    const first = frame;
    while (frame < end && log.get(frame, 'settled') > 0 && Number.isNaN(log.get(frame, 'shown'))) frame++;
    const due = log.get(first, 'due');
    const back =
      frame < end && log.get(frame, 'settled') > 0
        ? log.get(frame, 'shown')
        : due + (frame - first) * budgetMs;
    moments.push({
      frame: first,
      droppedFrames: frame - first,
      freezeMs: back - due,
    });
  }
  return moments.sort((a, b) => b.freezeMs - a.freezeMs).slice(0, most);
}

/** Histogram of the lateness of frames. */
export interface LatenessHistogram {
  /** Upper ends of the classes as shares of the frame budget; the last class has none. */
  readonly upTo: readonly number[];
  /** Frames in each class; one more than there are ends. */
  readonly frames: readonly number[];
  readonly dropped: number;
}

const CLASSES = [0.1, 0.25, 0.5, 0.75, 1];

export function latenessHistogram(log: FrameLog, budgetMs: number): LatenessHistogram {
  const frames = new Array<number>(CLASSES.length + 1).fill(0);
  let dropped = 0;
  for (let frame = log.firstFrame; frame < log.firstFrame + log.length; frame++) {
    if (log.get(frame, 'settled') === 0) continue;
    const late = (log.get(frame, 'shown') - log.get(frame, 'due')) / budgetMs;
    if (Number.isNaN(late)) dropped++;
    else {
      const at = CLASSES.findIndex((end) => late <= end);
      const place = at < 0 ? CLASSES.length : at;
      frames[place] = frames[place]! + 1;
    }
  }
  return { upTo: CLASSES, frames, dropped };
}
