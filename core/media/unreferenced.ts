import type { PacketIndex } from './packet-index.js';

/**
 * Which pictures of a file no other picture refers to, told by the order in which pictures are decoded and shown: all
 * that are shown before one that was decoded earlier, or of these those whose neighbours in time were decoded before
 * them. They can be left out without harm to any other.
 */
export type UnreferencedRule = 'reordered' | 'between neighbours';

const RULES: readonly UnreferencedRule[] = ['reordered', 'between neighbours'];

/** Types of H.264 units that hold a part of a picture (ITU-T H.264, table 7-1). */
const isSlice = (type: number): boolean => type >= 1 && type <= 5;

const typeOf = (head: number): number => head & 0x1f;
const isReferred = (head: number): boolean => (head & 0x60) !== 0;

/**
 * Whether no other picture refers to a coded H.264 picture: nal_ref_idc of its slices is 0 (ITU-T H.264, 7.4.1).
 * @param lengthBytes of the length before each of its units; null where start codes part them
 */
export function isUnreferenced(picture: Uint8Array, lengthBytes: number | null): boolean {
  let at = lengthBytes === null ? afterStartCode(picture, 0) : lengthBytes;
  while (at < picture.length) {
    const head = picture[at]!;
    if (isSlice(typeOf(head))) return !isReferred(head);
    if (lengthBytes === null) at = afterStartCode(picture, at);
    else {
      let length = 0;
      for (let byte = at - lengthBytes; byte < at; byte++) length = 256 * length + picture[byte]!;
      at += length + lengthBytes;
    }
  }
  return false;
}

/** End of the unit before the next start code; the end of the data without one. */
function afterStartCode(bytes: Uint8Array, from: number): number {
  for (let at = from; at + 3 <= bytes.length; at++)
    if (bytes[at] === 0 && bytes[at + 1] === 0 && bytes[at + 2] === 1) return at + 3;
  return bytes.length;
}

/** For each picture of an H.264 stream with start codes, in the order in which they are decoded, whether none refers to it. */
export function unreferencedIn(stream: Uint8Array): boolean[] {
  const found: boolean[] = [];
  for (let at = afterStartCode(stream, 0); at < stream.length; at = afterStartCode(stream, at)) {
    const head = stream[at]!;
    // The first slice of a picture begins with macroblock 0, which is written as a single set bit.
    const isFirst = ((stream[at + 1] ?? 0) & 0x80) !== 0;
    if (isSlice(typeOf(head)) && isFirst) found.push(!isReferred(head));
  }
  return found;
}

/** Which pictures a rule takes for unreferenced: 1, in the order in which they are decoded. */
export function unreferencedBy(index: PacketIndex, rule: UnreferencedRule): Uint8Array {
  const { pts, shownOrder, length } = index;
  const place = new Uint32Array(length);
  shownOrder.forEach((at, shown) => (place[at] = shown));
  const found = new Uint8Array(length);
  let latest = -Infinity;
  for (let at = 0; at < length; at++) {
    const isEarlier = pts[at]! < latest;
    latest = Math.max(latest, pts[at]!);
    if (!isEarlier) continue;
    const [before, after] = [shownOrder[place[at]! - 1], shownOrder[place[at]! + 1]];
    const isBetween = before !== undefined && after !== undefined && before < at && after < at;
    if (rule === 'reordered' || isBetween) found[at] = 1;
  }
  return found;
}

/** The last pictures of a sample are not judged: what follows them is not known. */
const UNJUDGED = 8;
/** A rule may be wrong of so many pictures. */
const WRONG = 0.01;

/**
 * The rule that finds most of the unreferenced pictures of a file, and no others.
 * @param sample whether none refers to it, for the first pictures of the file in the order in which they are decoded
 */
export function unreferencedRule(
  index: PacketIndex,
  sample: readonly boolean[],
): UnreferencedRule | undefined {
  const judged = Math.min(sample.length, index.length) - UNJUDGED;
  return RULES.find((rule) => {
    const taken = unreferencedBy(index, rule).subarray(0, Math.max(0, judged));
    const right = taken.reduce((sum, is, at) => sum + Number(is === 1 && sample[at]), 0);
    const wrong = taken.reduce((sum, is, at) => sum + Number(is === 1 && !sample[at]), 0);
    return right > 0 && wrong <= WRONG * judged;
  });
}
