import { readMsOf, type LinePassage } from './line.js';
import type { SimulatedFloor } from './simulated-floor.js';

/** A drive that is asked for less than this share of its time is not followed picture by picture. */
const QUICK_READ = 0.25;

/** A clip that is being decoded. */
export interface Stream {
  readonly passage: LinePassage;
  /** Its place among the passages of the line. */
  readonly at: number;
  readonly station: number;
  readonly worker: number;
  /** ms that reading one picture takes; 0 where reading is never waited for. */
  readonly limitMs: number;
  /** The next frame that it delivers. */
  next: number;
  /** Pictures to take out of the decoder until that frame's has come. */
  needed: number;
  /** Pictures that are decoded while the worker, who would take them, is at something else. */
  inside: number;
  /** Pictures that came out and wait. */
  out: number;
  /** When the last one came out, and when its decoder had last been idle. */
  lastOut: number;
  busyFrom: number;
  /** Pictures that were read and wait to be decoded. */
  read: number;
  resting: boolean;
  openAt: number;
  /** When the decoder began to wait for the drive; NaN while it does not. */
  dryFrom: number;
  slots: number;
  making: boolean;
  madeFrom: number;
  closed: boolean;
  decodeMs: number;
  readMs: number;
  decoded: number;
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
  const { line, now } = floor;
  const passage = line.passages[at]!;
  const readMs = readMsOf(line, passage);
  return {
    ...{ passage, at, station, worker, next: from },
    limitMs: isWaitedFor(floor, passage, readMs) ? readMs : 0,
    needed: passage.coldDecodes[from - passage.from]!,
    ...{ inside: 0, out: 0, lastOut: now, busyFrom: now, read: 0, resting: false },
    openAt: now + line.openMs + (line.drives[passage.drive]?.latencyMs ?? 0),
    ...{ dryFrom: NaN, slots: 0, making: false, madeFrom: 0, closed: false },
    ...{ decodeMs: 0, readMs: 0, decoded: 0 },
  };
}

function isWaitedFor(
  { mostWanted, budgetMs }: SimulatedFloor,
  { decodes, decodeMs }: LinePassage,
  readMs: number,
): boolean {
  const each = Math.max(1, decodes[decodes.length >> 1] ?? 1);
  return (readMs * each * mostWanted) / budgetMs > QUICK_READ || readMs > decodeMs / 2;
}

/** The first frame above another one at which decoding can begin anew. */
export function entryAbove({ entries: list }: LinePassage, value: number): number | undefined {
  let low = 0;
  let high = list.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (list[middle]! > value) high = middle;
    else low = middle + 1;
  }
  return list[low];
}
