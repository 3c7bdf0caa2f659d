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

/* Hand-written OpenTimelineIO. */

const time = (value: number, rate = 24) => ({ OTIO_SCHEMA: 'RationalTime.1', value, rate });
export const range = (start: number, duration: number, rate = 24) => ({
  OTIO_SCHEMA: 'TimeRange.1',
  start_time: time(start, rate),
  duration: time(duration, rate),
});
/** A clip of the schema's first version, of one of the made-up media. */
export const clip = (name: string, start: number, duration: number, more: object = {}) => ({
  OTIO_SCHEMA: 'Clip.1',
  name,
  source_range: range(start, duration),
  media_reference: { OTIO_SCHEMA: 'ExternalReference.1', target_url: `/footage/day 1/${name}.mp4` },
  ...more,
});
/** A file with one track. */
export const file = (...children: object[]) =>
  JSON.stringify({
    OTIO_SCHEMA: 'Timeline.1',
    name: 'By hand',
    tracks: {
      OTIO_SCHEMA: 'Stack.1',
      children: [{ OTIO_SCHEMA: 'Track.1', kind: 'Video', name: 'V1', children }],
    },
  });
