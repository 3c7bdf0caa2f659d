import type { FrameRange } from '../timeline/index.js';

/** Kept pictures in a row for which it is worth to end decoding, and to start it anew behind them. */
const LEAST_KEPT_ROW = 24;

/** Frames of a clip whose pictures are in memory from an earlier pass. */
export interface KeptRange extends FrameRange {
  readonly clipId: string;
}

/**
 * Rule 9 of pacing: how far decoding goes on from a frame whose picture is missing.
 * @param to end of the frames that are wanted
 * @returns the first frame of the next long row of kept pictures, or `to`
 */
export function endOfMissing(from: number, to: number, isKept: (frame: number) => boolean): number {
  let kept = 0;
  for (let frame = from; frame < to; frame++) {
    kept = isKept(frame) ? kept + 1 : 0;
    if (kept === LEAST_KEPT_ROW) return frame + 1 - kept;
  }
  return to;
}

/** The parts of a range that are decoded where some of its pictures are kept. */
export function missingParts({ from, to }: FrameRange, isKept: (frame: number) => boolean): FrameRange[] {
  const parts: FrameRange[] = [];
  let frame = from;
  for (;;) {
    while (frame < to && isKept(frame)) frame++;
    if (frame >= to) return parts;
    const end = endOfMissing(frame, to, isKept);
    parts.push({ from: frame, to: end });
    frame = end;
  }
}
