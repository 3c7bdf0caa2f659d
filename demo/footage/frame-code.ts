/**
 * A frame number that can be read from a picture at any scale: a strip of sixteen cells over the top sixth of the
 * frame, white for one. Twelve cells count the frame, three name the source, the last makes the number of ones even.
 */
export interface FrameCode {
  readonly frame: number;
  readonly source: number;
}

export const CODE_CELLS = 16;
const FRAME_BITS = 12;
const SOURCE_BITS = 3;
/** Height of the strip as a part of the frame's height. */
export const CODE_SHARE = 1 / 6;

/** @throws RangeError when a number does not fit */
export function codeBits({ frame, source }: FrameCode): boolean[] {
  if (!Number.isInteger(frame) || frame < 0 || frame >= 2 ** FRAME_BITS)
    throw new RangeError(`No code for frame ${frame}.`);
  if (!Number.isInteger(source) || source < 0 || source >= 2 ** SOURCE_BITS) {
    throw new RangeError(`No code for source ${source}.`);
  }
  const bits: boolean[] = [];
  for (let bit = 0; bit < FRAME_BITS; bit++) bits.push(((frame >> bit) & 1) === 1);
  for (let bit = 0; bit < SOURCE_BITS; bit++) bits.push(((source >> bit) & 1) === 1);
  bits.push(bits.filter(Boolean).length % 2 === 1);
  return bits;
}

/**
 * Reads the code from a picture.
 * @param lumaAt brightness from 0 to 255 at a place, both parts from 0 to 1
 * @returns undefined when the number of ones is odd or a cell is neither white nor black
 */
export function readCode(lumaAt: (x: number, y: number) => number): FrameCode | undefined {
  const bits: boolean[] = [];
  for (let cell = 0; cell < CODE_CELLS; cell++) {
    const luma = lumaAt((cell + 0.5) / CODE_CELLS, CODE_SHARE / 2);
    if (luma > 96 && luma < 160) return undefined;
    bits.push(luma >= 160);
  }
  if (bits.filter(Boolean).length % 2 === 1) return undefined;
  const number = (from: number, count: number): number =>
    bits.slice(from, from + count).reduce((sum, bit, index) => sum + (bit ? 2 ** index : 0), 0);
  return { frame: number(0, FRAME_BITS), source: number(FRAME_BITS, SOURCE_BITS) };
}
