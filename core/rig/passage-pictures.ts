import { MOST_TURNED, type LinePassage } from '../playback/index.js';
import type { Passage } from '../render/index.js';
import { toNumber } from '../time/index.js';
import type { PlayedMedium } from './medium.js';

export type Pictures = Pick<LinePassage, 'decodes' | 'coldDecodes' | 'entries'>;

/** What was reckoned for a way of entering a file is the same for as long as the clip stands as it does. */
const reckoned = new WeakMap<PlayedMedium['groups'], Map<string, Pictures>>();

/** Pictures that a passage asks of a medium. */
export function picturesFor(passage: Passage, medium: PlayedMedium, fps: number): Pictures {
  const { from, to, clipStart, sourceIn, speed } = passage;
  const { framesPerSecond, constantRate, frameCount, decoder, groups } = medium;
  const into = `${sourceIn.num}/${sourceIn.den} ${speed.num}/${speed.den}`;
  const key = `${from} ${to} ${clipStart} ${into} ${fps} ${framesPerSecond} ${constantRate} ${frameCount} ${decoder}`;
  const known = reckoned.get(groups) ?? new Map<string, Pictures>();
  reckoned.set(groups, known);
  const pictures = known.get(key) ?? picturesOf(passage, medium, fps);
  known.set(key, pictures);
  return pictures;
}

function picturesOf(
  { from, to, clipStart, sourceIn, speed }: Passage,
  { framesPerSecond, constantRate, frameCount, groups, decoder }: PlayedMedium,
  fps: number,
): Pictures {
  const count = to - from;
  const decodes = new Uint16Array(count);
  const coldDecodes = new Uint16Array(count);
  const into = toNumber(sourceIn);
  const pace = toNumber(speed);
  const last = Math.max(0, frameCount - 1);
  const frameAt = (frame: number): number => {
    const seconds = into + ((frame - clipStart) * pace) / fps;
    return Math.min(last, Math.max(0, Math.floor(seconds * framesPerSecond + 0.5 + 1e-6)));
  };
  // Without a constant rate the picture is known to be the right one only by the one after it.
  const more = constantRate ? 0 : 1;
  let before = -1;
  for (let at = 0; at < count; at++) {
    const index = frameAt(from + at);
    const distance = decoder === 'server' ? 1 : groups.distance(index);
    const cold = Math.min(65_535, distance + more);
    coldDecodes[at] = cold;
    decodes[at] = at === 0 ? cold : Math.min(65_535, Math.abs(index - before));
    before = index;
  }
  if (pace < 0) backwards(decodes, coldDecodes);
  if (pace < 0 || decoder === 'server')
    return { decodes, coldDecodes, entries: Int32Array.from({ length: count }, (_, at) => from + at) };
  const entries = groups
    .entries(frameAt(from), frameAt(to - 1) + 1)
    .map((index) => clipStart + Math.ceil(((index / framesPerSecond - into) * fps) / pace - 1e-6))
    .filter((frame, at, all) => frame >= from && frame < to && frame !== all[at - 1]);
  return { decodes, coldDecodes, entries: Int32Array.from(entries) };
}

function backwards(decodes: Uint16Array, cold: Uint16Array): void {
  for (let first = 0; first < decodes.length; first += MOST_TURNED) {
    const end = Math.min(decodes.length, first + MOST_TURNED);
    decodes[first] = cold[first] ?? 1;
    for (let at = first + 1; at < end; at++) decodes[at] = Math.min(1, decodes[at]!);
  }
}
