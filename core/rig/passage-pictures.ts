import { MOST_TURNED, type LinePassage } from '../playback/index.js';
import type { Passage } from '../render/index.js';
import { toNumber } from '../time/index.js';
import type { PlayedMedium } from './medium.js';
import type { Load } from './shown-pictures.js';

export type Pictures = Pick<
  LinePassage,
  'decodes' | 'coldDecodes' | 'repeats' | 'entries' | 'bits' | 'coldBits' | 'unreferenced' | 'ownBits'
>;

/** What was reckoned for a way of entering a file is the same for as long as the clip stands as it does. */
const reckoned = new WeakMap<PlayedMedium['groups'], Map<string, Pictures>>();

/** Pictures that a passage asks of a medium. */
export function picturesFor(passage: Passage, medium: PlayedMedium, fps: number): Pictures {
  const { from, to, clipStart, sourceIn, speed } = passage;
  const { framesPerSecond, constantRate, frameCount, decoder, groups, choice } = medium;
  const into = `${sourceIn.num}/${sourceIn.den} ${speed.num}/${speed.den}`;
  const key = `${choice} ${from} ${to} ${clipStart} ${into} ${fps} ${framesPerSecond} ${constantRate} ${frameCount} ${decoder}`;
  const known = reckoned.get(groups) ?? new Map<string, Pictures>();
  reckoned.set(groups, known);
  const pictures = known.get(key) ?? picturesOf(passage, medium, fps);
  known.set(key, pictures);
  return pictures;
}

function picturesOf(
  { from, to, clipStart, sourceIn, speed }: Passage,
  { framesPerSecond, constantRate, frameCount, groups, decoder, choice }: PlayedMedium,
  fps: number,
): Pictures {
  const into = toNumber(sourceIn);
  const pace = toNumber(speed);
  const last = Math.max(0, frameCount - 1);
  const frameAt = (frame: number): number => {
    const seconds = into + ((frame - clipStart) * pace) / fps;
    return Math.min(last, Math.max(0, Math.floor(seconds * framesPerSecond + 0.5 + 1e-6)));
  };
  const isServed = decoder === 'server';
  const loads = groups.loads?.(constantRate && pace > 0 && !isServed);
  const cold = (index: number): Load => {
    if (isServed || !loads) {
      const pictures = isServed ? 1 : groups.distance(index);
      return { pictures, bits: pictures };
    }
    return loads.cold(index);
  };
  // Of a light copy, whose pictures all stand alone, none needs to be decoded that is not shown.
  const isIntra = choice === 'light copy' && constantRate && pace > 0;
  const going = (before: number, index: number): Load => {
    if (isIntra) return { pictures: Number(index > before), bits: Number(index > before) };
    const pictures = Math.abs(index - before);
    return loads && index > before ? loads.going(before, index) : { pictures, bits: pictures };
  };
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
    const first = cold(index);
    const next =
      at === 0 ? { pictures: first.pictures + more, bits: first.bits + more } : going(before, index);
    coldDecodes[at] = Math.min(MOST_PICTURES, first.pictures + more);
    coldBits[at] = first.bits + more;
    decodes[at] = Math.min(MOST_PICTURES, next.pictures);
    bits[at] = next.bits;
    unreferenced[at] = isIntra ? 1 : (loads?.unreferenced[index] ?? 0);
    ownBits[at] = loads?.bitsOf(index) ?? 1;
    repeats[at] = Number(index === before);
    before = index;
  }
  if (pace < 0) backwards(decodes, coldDecodes);
  const pictures = {
    ...{ decodes, coldDecodes, repeats },
    ...(loads && pace > 0 ? { bits, coldBits } : {}),
    ...(unreferenced.includes(1) ? { unreferenced, ownBits } : {}),
  };
  if (pace < 0 || isServed)
    return { ...pictures, entries: Int32Array.from({ length: count }, (_, at) => from + at) };
  const entries = groups
    .entries(frameAt(from), frameAt(to - 1) + 1)
    .map((index) => clipStart + Math.ceil(((index / framesPerSecond - into) * fps) / pace - 1e-6))
    .filter((frame, at, all) => frame >= from && frame < to && frame !== all[at - 1]);
  return { ...pictures, entries: Int32Array.from(entries) };
}

const MOST_PICTURES = 65_535;

function backwards(decodes: Uint16Array, cold: Uint16Array): void {
  for (let first = 0; first < decodes.length; first += MOST_TURNED) {
    const end = Math.min(decodes.length, first + MOST_TURNED);
    decodes[first] = cold[first] ?? 1;
    for (let at = first + 1; at < end; at++) decodes[at] = Math.min(1, decodes[at]!);
  }
}
