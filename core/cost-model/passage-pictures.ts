import type { DecodeSegment } from './workload.js';
import type { Passage } from '../render/index.js';
import { toNumber } from '../time/index.js';
import { heldFrame } from '../pacing/index.js';
import type { PlayedMedium } from './medium.js';
import type { Load } from './shown-pictures.js';

export type Pictures = Pick<
  DecodeSegment,
  'decodes' | 'coldDecodes' | 'repeats' | 'entries' | 'bits' | 'coldBits' | 'unreferenced' | 'ownBits'
>;

/** Pictures by groups and passage; valid for as long as the clip keeps its position, range and speed. */
const cache = new WeakMap<PlayedMedium['groups'], Map<string, Pictures>>();

/**
 * Pictures that a passage asks of a medium.
 * @param turned frames of a run, where it is played backwards
 * @param hold frames that a picture stands for
 */
export function picturesFor(
  passage: Passage,
  medium: PlayedMedium,
  fps: number,
  turned: number | undefined,
  hold: number,
): Pictures {
  const { from, to, clipStart, sourceIn, speed } = passage;
  const { framesPerSecond, constantRate, frameCount, decoder, groups, choice } = medium;
  const into = `${sourceIn.num}/${sourceIn.den} ${speed.num}/${speed.den}`;
  const key = `${choice} ${from} ${to} ${clipStart} ${into} ${fps} ${framesPerSecond} ${constantRate} ${frameCount} ${decoder} ${turned} ${hold}`;
  const known = cache.get(groups) ?? new Map<string, Pictures>();
  cache.set(groups, known);
  const pictures = known.get(key) ?? picturesOf(passage, medium, fps, turned, hold);
  known.set(key, pictures);
  return pictures;
}

function picturesOf(
  passage: Passage,
  medium: PlayedMedium,
  fps: number,
  turned: number | undefined,
  hold: number,
): Pictures {
  const { from, to, clipStart, sourceIn, speed } = passage;
  const { framesPerSecond, constantRate, frameCount, groups, decoder } = medium;
  const into = toNumber(sourceIn);
  const pace = toNumber(speed);
  const last = Math.max(0, frameCount - 1);
  const frameAt = (frame: number): number => {
    const seconds = into + ((heldFrame(frame, hold, clipStart) - clipStart) * pace) / fps;
    return Math.min(last, Math.max(0, Math.floor(seconds * framesPerSecond + 0.5 + 1e-6)));
  };
  const loads = loadsOf(medium, pace);
  // Without a constant rate the picture is known to be the right one only by the one after it.
  const more = constantRate ? 0 : 1;
  const count = to - from;
  const decodes = new Uint16Array(count);
  const coldDecodes = new Uint16Array(count);
  const bits = new Float32Array(count);
  const coldBits = new Float32Array(count);
  const unreferenced = new Uint8Array(count);
  const ownBits = new Float32Array(count);
  const repeats = new Uint8Array(count);
  let before = -1;
  for (let at = 0; at < count; at++) {
    const index = frameAt(from + at);
    const alone = loads.cold(index);
    const cold = { pictures: alone.pictures + more, bits: alone.bits + more };
    const next = at === 0 ? cold : index === before ? NOTHING : loads.going(before, index);
    coldDecodes[at] = Math.min(MOST_PICTURES, cold.pictures);
    coldBits[at] = cold.bits;
    decodes[at] = Math.min(MOST_PICTURES, next.pictures);
    bits[at] = next.bits;
    unreferenced[at] = Number(loads.isUnreferenced(index));
    ownBits[at] = loads.bitsOf(index);
    repeats[at] = Number(index === before);
    before = index;
  }
  if (turned !== undefined) {
    const whole = (first: number, last: number): number =>
      (decoder === 'server' ? 1 : groups.distance(last)) + (first - last);
    backwards(decodes, coldDecodes, (at) => frameAt(from + at), turned, whole);
  }
  const isFree = unreferenced.includes(1);
  const picturesWith = (entries: Int32Array): Pictures => ({
    ...{ decodes, coldDecodes, repeats, entries },
    bits: loads.areWeighed ? bits : undefined,
    coldBits: loads.areWeighed ? coldBits : undefined,
    unreferenced: isFree ? unreferenced : undefined,
    ownBits: isFree ? ownBits : undefined,
  });
  if (turned !== undefined || decoder === 'server')
    return picturesWith(Int32Array.from({ length: count }, (_, at) => from + at));
  const entries = groups
    .entries(frameAt(from), frameAt(to - 1) + 1)
    .map((index) => clipStart + Math.ceil(((index / framesPerSecond - into) * fps) / pace - 1e-6))
    .filter((frame, at, all) => frame >= from && frame < to && frame !== all[at - 1]);
  return picturesWith(Int32Array.from(entries));
}

/** Pictures to decode of a medium to show its frames. */
interface Loads {
  /** Pictures for a frame from a cold start, and from one frame to another. */
  cold(frame: number): Load;
  going(from: number, to: number): Load;
  /** Whether no other picture refers to a frame's own. */
  isUnreferenced(frame: number): boolean;
  bitsOf(frame: number): number;
  /** Whether bits of single pictures are known. */
  readonly areWeighed: boolean;
}

const NOTHING: Load = { pictures: 0, bits: 0 };

/** Pictures that are all taken to have the same bits. */
const alike = (pictures: number): Load => ({ pictures, bits: pictures });

function loadsOf({ groups, constantRate, decoder, choice }: PlayedMedium, pace: number): Loads {
  const plain: Loads = {
    cold: (frame) => alike(decoder === 'server' ? 1 : groups.distance(frame)),
    going: (from, to) => alike(Math.abs(to - from)),
    isUnreferenced: () => false,
    bitsOf: () => 1,
    areWeighed: false,
  };
  // Backwards, whole groups are decoded and turned round.
  if (pace < 0) return plain;
  // Of light copies and cached stretches, whose pictures all stand alone, only those that are shown are decoded.
  if (choice !== 'original')
    return constantRate ? { ...plain, going: () => alike(1), isUnreferenced: () => true } : plain;
  const known = groups.loads?.(constantRate && decoder === 'browser');
  if (!known) return plain;
  return {
    // The server is entered anywhere.
    cold: (frame) => (decoder === 'server' ? alike(1) : known.cold(frame)),
    going: (from, to) => known.going(from, to),
    isUnreferenced: (frame) => known.unreferenced[frame] === 1,
    bitsOf: (frame) => known.bitsOf(frame),
    areWeighed: true,
  };
}

const MOST_PICTURES = 65_535;

/**
 * Charges all pictures of a run that is turned round to its first frame, wherever a run begins.
 * @param turned frames of a run
 * @param whole pictures that are decoded for a run, from the source frames that it shows first and last
 */
function backwards(
  decodes: Uint16Array,
  cold: Uint16Array,
  frameAt: (at: number) => number,
  turned: number,
  whole: (first: number, last: number) => number,
): void {
  for (let at = 0; at < decodes.length; at++) {
    const last = Math.min(decodes.length, at + turned) - 1;
    cold[at] = Math.min(MOST_PICTURES, whole(frameAt(at), frameAt(last)));
    decodes[at] = at % turned === 0 ? cold[at]! : 0;
  }
}
