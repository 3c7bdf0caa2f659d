/** Work done in one round: pictures shown, and pieces of reference work in the remaining processor time. */
export interface Left {
  readonly pictures: number;
  readonly pieces: number;
}

/** Time to present a picture, ms: over all rounds, and in each of them. */
export interface PresentTimes {
  readonly ms: number;
  readonly rounds: readonly number[];
}

export const NOTHING_LEFT: Left = { pictures: 0, pieces: 0 };

export const together = (a: Left, b: Left): Left => ({
  pictures: a.pictures + b.pictures,
  pieces: a.pieces + b.pieces,
});

/**
 * What bringing a picture to the screen takes beside drawing it, ms.
 * @param alone without pictures @param drawn with invisible pictures @param seen with pictures on the screen
 * @param coreMs that all cores had for each
 */
export function presentMsOf(alone: Left, drawn: Left, seen: Left, coreMs: number): number {
  const usedFor = ({ pictures, pieces }: Left): number =>
    pictures === 0 ? 0 : (coreMs * (1 - pieces / Math.max(1, alone.pieces))) / pictures;
  return Math.max(0, usedFor(seen) - Math.max(0, usedFor(drawn)));
}

const STEPS = 4096;

/** Number of pieces of reference work done in a time, ms: arithmetic with hardly any memory access. */
export function workFor(ms: number): number {
  const end = performance.now() + ms;
  let pieces = 0;
  let state = 1;
  for (; performance.now() < end; pieces++)
    for (let step = 0; step < STEPS; step++) state = (Math.imul(state, 48_271) + step) | 0;
  // The result must be used, or the engine removes the computation.
  return state === 0 ? pieces + 1e-9 : pieces;
}
