import { Making } from './making.js';
import { Pursuit, type Landing } from './pursuit.js';
import { readMsOf, type LinePassage } from './line.js';
import type { SimulatedFloor } from './simulated-floor.js';

/** A drive that is asked for less than this share of its time is not followed picture by picture. */
const QUICK_READ = 0.25;

/** A clip that is being decoded. One class for all of them, since a simulation spends its time on their fields. */
export class Stream {
  /** Behind the last frame that it delivers. */
  readonly end: number;
  /** The next frame that it delivers. */
  next: number;
  /** Pictures to take out of the decoder until that frame's has come. */
  needed: number;
  /** Pictures that are decoded while the worker, who would take them, is at something else. */
  inside = 0;
  /** Pictures that came out and wait. */
  out = 0;
  /** ms that decoding the pictures inside and those that wait has taken, and what of it was not decoding. */
  insideMs = 0;
  outMs = 0;
  waitMs = 0;
  /** Pictures that were read and wait to be decoded. */
  read = 0;
  resting = false;
  /** How much longer its next picture takes, ms: its decoder was just set up, or sent elsewhere. */
  delayMs: number;
  openAt: number;
  pictures = new Making();
  /** When the picture that is being made could be begun, ms. */
  madeFrom = 0;
  /** When the decoder began to wait for the drive; NaN while it does not. */
  dryFrom = NaN;
  slots = 0;
  making = false;
  closed = false;
  decodeMs = 0;
  readMs = 0;
  decoded = 0;

  /**
   * @param at place of its passage in the line @param limitMs that reading one picture takes; 0 where reading is never
   * waited for @param from its first frame that is wanted
   */
  constructor(
    readonly passage: LinePassage,
    readonly at: number,
    readonly station: number,
    readonly worker: number,
    readonly limitMs: number,
    from: number,
    now: number,
    waitMs: number,
    readonly pursuit: Pursuit,
  ) {
    this.end = passage.to;
    this.next = from;
    this.needed = passage.coldDecodes[from - passage.from] ?? 0;
    this.openAt = now + waitMs;
    this.delayMs = passage.firstMs;
  }

  /** The same, at a moment at which nothing is under way, for a passage that may cost otherwise from then on. */
  copyFor(passage: LinePassage): Stream {
    const { at, station, worker, limitMs } = this;
    const copy = new Stream(passage, at, station, worker, limitMs, this.next, 0, 0, this.pursuit.copy());
    copy.pictures = this.pictures.copy();
    copy.needed = this.needed;
    copy.inside = this.inside;
    copy.out = this.out;
    copy.insideMs = this.insideMs;
    copy.outMs = this.outMs;
    copy.read = this.read;
    copy.resting = this.resting;
    copy.delayMs = this.delayMs;
    copy.openAt = this.openAt;
    copy.dryFrom = this.dryFrom;
    copy.slots = this.slots;
    copy.making = this.making;
    copy.decodeMs = this.decodeMs;
    copy.readMs = this.readMs;
    copy.decoded = this.decoded;
    return copy;
  }
}

/**
 * A clip that begins to be decoded.
 * @param at place of its passage in the line @param from its first frame that is wanted
 * @param station of its decoder and its reader
 */
export function openStream(
  floor: SimulatedFloor,
  at: number,
  from: number,
  station: number,
  worker: number,
): Stream {
  const { line, now, framesPerSecond } = floor;
  const passage = line.passages[at]!;
  const readMs = readMsOf(line, passage);
  const limitMs = isWaitedFor(floor, passage, readMs) ? readMs : 0;
  const waitMs = passage.openMs + (line.drives[passage.drive]?.latencyMs ?? 0);
  return new Stream(passage, at, station, worker, limitMs, from, now, waitMs, new Pursuit(framesPerSecond));
}

function isWaitedFor(
  { mostWanted, budgetMs }: SimulatedFloor,
  { decodes, decodeMs }: LinePassage,
  readMs: number,
): boolean {
  const each = Math.max(1, decodes[decodes.length >> 1] ?? 1);
  return (readMs * each * mostWanted) / budgetMs > QUICK_READ || readMs > decodeMs / 2;
}

/** The key frame to go on at, as `Pursuit` has it; undefined when there is none so far ahead. */
export function entryFor({ entries }: LinePassage, { from, best }: Landing): number | undefined {
  const beyond = firstAbove(entries, best);
  const within = entries[beyond - 1];
  return within !== undefined && within >= from ? within : entries[beyond];
}

/** Place of the first number of an ascending list above a value. */
function firstAbove(list: Int32Array, value: number): number {
  let low = 0;
  let high = list.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (list[middle]! > value) high = middle;
    else low = middle + 1;
  }
  return low;
}
