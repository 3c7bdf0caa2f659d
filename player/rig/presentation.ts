/** What was done while the cores were busy with work of a known kind: pictures that were shown, and pieces of that work. */
export interface Left {
  readonly pictures: number;
  readonly pieces: number;
}

/**
 * What bringing a picture to the screen takes beside drawing it, ms.
 * @param alone without pictures @param drawn with pictures that nobody sees @param seen with pictures on the screen
 * @param coreMs that all cores had for each
 */
export function presentMsOf(alone: Left, drawn: Left, seen: Left, coreMs: number): number {
  const usedFor = ({ pictures, pieces }: Left): number =>
    pictures === 0 ? 0 : (coreMs * (1 - pieces / Math.max(1, alone.pieces))) / pictures;
  return Math.max(0, usedFor(seen) - Math.max(0, usedFor(drawn)));
}
