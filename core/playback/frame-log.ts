import { STAGES, type Stage } from './stage.js';

/**
 * Columns of a frame log, which has one row for each wanted frame of a run:
 * - `due`: when it is due on the screen, ms from the press of play
 * - `shown`: when it did; NaN when it was dropped
 * - one column for each stage: what it cost, ms. `read` is the time that the decoder waited for the file; `decode`
 *   holds all pictures that were decoded for this one, shown or not
 * - `decoded`: how many pictures were decoded for it
 * - `settled`: 1 once its fate is known
 * - `waiting`: how many frames after it were ready by then: the depth of the queue between decoders and screen
 */
export const LOG_COLUMNS = ['due', 'shown', ...STAGES, 'decoded', 'settled', 'waiting'] as const;

export type LogColumn = (typeof LOG_COLUMNS)[number];

const WIDTH = LOG_COLUMNS.length;
const indexOf = Object.fromEntries(LOG_COLUMNS.map((name, index) => [name, index])) as Record<
  LogColumn,
  number
>;

const [DECODE, DECODED, SCALE, EFFECTS] = [indexOf.decode, indexOf.decoded, indexOf.scale, indexOf.effects];

/** A view of a frame log; `firstFrame` is the timeline frame of its first row. */
export class FrameLog {
  /** Frames that it has rows for. */
  readonly length: number;

  /**
   * @param values rows of `LOG_COLUMNS.length` numbers; may stand in shared memory
   */
  constructor(
    readonly firstFrame: number,
    readonly values: Float32Array,
  ) {
    if (values.length % WIDTH !== 0) {
      throw new RangeError(`A frame log has ${WIDTH} numbers a frame, but got ${values.length} numbers.`);
    }
    this.length = values.length / WIDTH;
  }

  /** Room in bytes that a log of so many frames takes. */
  static bytesFor(frames: number): number {
    return frames * WIDTH * Float32Array.BYTES_PER_ELEMENT;
  }

  static empty(firstFrame: number, frames: number, buffer?: ArrayBufferLike): FrameLog {
    const values = new Float32Array(buffer ?? new ArrayBuffer(FrameLog.bytesFor(frames)), 0, frames * WIDTH);
    const log = new FrameLog(firstFrame, values);
    values.fill(0);
    for (let frame = firstFrame; frame < firstFrame + frames; frame++) log.set(frame, 'shown', NaN);
    return log;
  }

  has(frame: number): boolean {
    return frame >= this.firstFrame && frame < this.firstFrame + this.length;
  }

  get(frame: number, column: LogColumn): number {
    return this.values[(frame - this.firstFrame) * WIDTH + indexOf[column]] ?? NaN;
  }

  set(frame: number, column: LogColumn, value: number): void {
    if (this.has(frame)) this.values[(frame - this.firstFrame) * WIDTH + indexOf[column]] = value;
  }

  add(frame: number, column: LogColumn, value: number): void {
    if (this.has(frame)) this.values[(frame - this.firstFrame) * WIDTH + indexOf[column]]! += value;
  }

  /** Decode and picture times of a frame in one call, for the simulation's inner loop. */
  addPicture(frame: number, decodeMs: number, decoded: number, scaleMs: number, effectsMs: number): void {
    if (!this.has(frame)) return;
    const row = (frame - this.firstFrame) * WIDTH;
    this.values[row + DECODE]! += decodeMs;
    this.values[row + DECODED]! += decoded;
    this.values[row + SCALE]! += scaleMs;
    this.values[row + EFFECTS]! += effectsMs;
  }

  /** The rows up to the last frame whose fate is known, as a copy. */
  settledPart(): FrameLog {
    let end = this.length;
    while (end > 0 && this.get(this.firstFrame + end - 1, 'settled') === 0) end--;
    return new FrameLog(this.firstFrame, this.values.slice(0, end * WIDTH));
  }

  /** Rows of frames [from, to), as in the log. */
  rows(from: number, to: number): Float32Array {
    return this.values.subarray((from - this.firstFrame) * WIDTH, (to - this.firstFrame) * WIDTH);
  }

  stageMs(frame: number, stage: Stage): number {
    return this.get(frame, stage);
  }
}

/** Logs that were kept before the depth of the queue was measured have a number less in each row; it is unknown. */
export function widenedLog(values: Float32Array, width: number): Float32Array {
  if (width === WIDTH) return values;
  const rows = Math.floor(values.length / width);
  const wide = new Float32Array(rows * WIDTH).fill(NaN);
  for (let row = 0; row < rows; row++) wide.set(values.subarray(row * width, (row + 1) * width), row * WIDTH);
  return wide;
}
