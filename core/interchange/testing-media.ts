import { rational, ZERO } from '../time/index.js';
import type { WrittenMedia } from './otio-write.js';
import type { Relinkable } from './relink.js';

export const HOUR = rational(3600);
export const SIZE = { width: 1920, height: 1080 };

/** Made-up media, for tests; the own timecode of the wheel begins at one hour, that of the others at zero. */
export const MEDIA: readonly Relinkable[] = ['weir', 'wheel', 'gulls'].map((name, at) => ({
  id: name,
  name: `${name}.mp4`,
  path: `/footage/day 1/${name}.mp4`,
  lengthSeconds: rational(600),
  startSeconds: at === 1 ? HOUR : ZERO,
}));

export const mediaOf = (id: string): WrittenMedia | undefined => {
  const source = MEDIA.find((each) => each.id === id);
  return source && { ...source, target: `file://${encodeURI(source.path)}`, rate: rational(25) };
};

/** Makes identifiers, the same every time. */
export const counter = (): (() => string) => {
  let next = 0;
  return () => `n${next++}`;
};
