import {
  type Clip,
  type ForeignItem,
  type Nest,
  type Timeline,
  type Track,
  type Transition,
  clipEnd,
} from '../timeline/index.js';

/** A nested stack that can be written as it was read, and the clips that it replaces. */
export interface UnchangedNestedStack {
  readonly item: unknown;
  readonly from: number;
  readonly to: number;
  readonly base: Track;
  readonly tracks: ReadonlySet<Track>;
}

/**
 * Timeline with a fingerprint of the flattened clips of each nested stack. A stack without clips on the timeline keeps the
 * empty time that was left for it.
 */
export function fingerprintNestedStacks(timeline: Timeline): Timeline {
  const clips = nestedClips(timeline);
  return {
    ...timeline,
    tracks: timeline.tracks.map((track) => {
      const items = track.foreign?.items;
      if (!items?.some(({ nest }) => nest)) return track;
      const noted = items.map(({ nest, ...item }): ForeignItem => {
        const own = nest ? (clips.get(nest.id) ?? []) : [];
        if (!nest || own.length === 0) return item;
        const lead = firstFrame(own) - item.frame;
        const print = fingerprintOf(timeline, track, own, item.frame, item.frame + item.length);
        return { ...item, nest: { id: nest.id, lead, print } };
      });
      return { ...track, foreign: { ...track.foreign, items: noted } };
    }),
  };
}

/** Nested stacks whose flattened clips are unchanged, with no other clips in their place. */
export function unchangedNestedStacks(timeline: Timeline): UnchangedNestedStack[] {
  const clips = nestedClips(timeline);
  return timeline.tracks.flatMap((base) =>
    (base.foreign?.items ?? []).flatMap(({ nest, length, item }): UnchangedNestedStack[] => {
      const own = nest ? (clips.get(nest.id) ?? []) : [];
      if (!nest || own.length === 0) return [];
      const from = firstFrame(own) - nest.lead;
      const to = from + length;
      const tracks = new Set([base, ...own.map(({ track }) => track)]);
      const isChanged = from < 0 || fingerprintOf(timeline, base, own, from, to) !== nest.print;
      return isChanged || hasOthers(tracks, nest, from, to) ? [] : [{ item, from, to, base, tracks }];
    }),
  );
}

interface Placed {
  readonly track: Track;
  readonly clip: Clip;
}

function nestedClips({ tracks }: Timeline): ReadonlyMap<string, readonly Placed[]> {
  const found = new Map<string, Placed[]>();
  for (const track of tracks)
    for (const clip of track.clips) {
      const nest = clip.foreign?.nest;
      if (nest !== undefined) found.set(nest, [...(found.get(nest) ?? []), { track, clip }]);
    }
  return found;
}

const firstFrame = (own: readonly Placed[]): number => Math.min(...own.map(({ clip }) => clip.start));

const hasOthers = (tracks: ReadonlySet<Track>, nest: Nest, from: number, to: number): boolean =>
  [...tracks].some(({ clips }) =>
    clips.some((clip) => clip.foreign?.nest !== nest.id && clip.start < to && clipEnd(clip) > from),
  );

/** Everything that changes picture or sound, as text; tracks are numbered from the lowest. */
function fingerprintOf(
  { tracks }: Timeline,
  base: Track,
  own: readonly Placed[],
  from: number,
  to: number,
): string {
  const place = (track: Track): unknown[] => [
    tracks.indexOf(track) - tracks.indexOf(base),
    track.enabled === base.enabled,
  ];
  const clips = own.map(({ track, clip }) => [...place(track), { ...clip, start: clip.start - from }]);
  const inside = ({ at }: Transition): boolean => at > from && at < to;
  const transitions = [...new Set([base, ...own.map(({ track }) => track)])].flatMap((track) =>
    (track.transitions ?? [])
      .filter(inside)
      .map(({ kind, at, before, after, colour }) => [
        ...place(track),
        kind,
        at - from,
        before,
        after,
        colour,
      ]),
  );
  return JSON.stringify(sorted([clips, transitions]));
}

/** Fields that change neither picture nor sound. */
const ASIDE = new Set(['id', 'sourceId', 'foreign']);

// Whoever changed and changed back may have put the fields of a clip in another order.
function sorted(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(sorted);
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(
    Object.entries(value)
      .filter(([key]) => !ASIDE.has(key))
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([key, each]) => [key, sorted(each)]),
  );
}
