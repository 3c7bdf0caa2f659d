import { add, multiply, subtract, ZERO, type Rational } from '../time/index.js';
import type { Foreign, Marker, TrackKind } from '../timeline/index.js';
import type { ImportedClip, ImportedTransition } from './imported.js';
import { seconds, type Range } from './otio-values.js';

/** Items of a track one behind the other, in seconds of the timeline. */
export interface TrackItems {
  clips: {
    readonly at: Rational;
    readonly length: Rational;
    readonly clip: Omit<ImportedClip, 'start' | 'length'>;
  }[];
  transitions: (Omit<ImportedTransition, 'at' | 'before' | 'after'> & {
    readonly at: Rational;
    readonly before: Rational;
    readonly after: Rational;
  })[];
  /** Unknown items, for which time is left empty, and nested stacks, which are flattened as well. */
  items: {
    readonly at: Rational;
    readonly length: Rational;
    readonly item: unknown;
    readonly nest?: string | undefined;
  }[];
  readonly markers: (Omit<Marker, 'id' | 'frame'> & { readonly at: Rational })[];
  /** Tracks of nested stacks above their lowest, which need tracks of their own. */
  readonly above: TrackItems[];
  /** Kind of a track within a nested stack. */
  readonly kind: TrackKind | null;
  length: Rational;
}

export const emptyTrackItems = (kind: TrackKind | null = null): TrackItems => ({
  clips: [],
  transitions: [],
  items: [],
  markers: [],
  above: [],
  kind,
  length: ZERO,
});

export const flatten = (trackItems: readonly TrackItems[]): TrackItems[] =>
  trackItems.flatMap((each) => [each, ...flatten(each.above)]);

export function shift(trackItems: TrackItems, by: Rational): TrackItems {
  const move = <T extends { readonly at: Rational }>(each: T): T => ({ ...each, at: add(each.at, by) });
  return {
    clips: trackItems.clips.map(move),
    transitions: trackItems.transitions.map(move),
    items: trackItems.items.map(move),
    markers: trackItems.markers.map(move),
    above: trackItems.above.map((each) => shift(each, by)),
    kind: trackItems.kind,
    length: trackItems.length,
  };
}

/** A range of track items, moved to the beginning. */
export function trim(trackItems: TrackItems, { start, length }: Range): TrackItems {
  const end = add(start, length);
  const clips = trackItems.clips.flatMap(({ at, length: whole, clip }) => {
    const from = seconds(at) < seconds(start) ? start : at;
    const to = seconds(add(at, whole)) > seconds(end) ? end : add(at, whole);
    if (seconds(to) <= seconds(from)) return [];
    const sourceIn = add(clip.sourceIn, multiply(subtract(from, at), clip.speed));
    const inside = sourceIn.num < 0 ? ZERO : sourceIn;
    return [{ at: from, length: subtract(to, from), clip: { ...clip, sourceIn: inside } }];
  });
  const isIn = ({ at }: { readonly at: Rational }): boolean =>
    seconds(at) >= seconds(start) && seconds(at) < seconds(end);
  const piece = {
    clips,
    transitions: trackItems.transitions.filter(isIn),
    // A nested stack that is cut off is no longer the one that the file names.
    items: trackItems.items.filter((each) => isIn(each) && each.nest === undefined),
    markers: trackItems.markers.filter(isIn),
    above: trackItems.above.map((each) => trim(each, { start, length })),
    kind: trackItems.kind,
    length: end,
  };
  return { ...shift(piece, { num: -start.num, den: start.den }), above: piece.above, length };
}

/** Track items with foreign fields added to each clip. */
export function markClips(trackItems: TrackItems, foreign: Foreign): TrackItems {
  const clips = trackItems.clips.map((each) => ({
    ...each,
    clip: { ...each.clip, foreign: { ...each.clip.foreign, ...foreign } },
  }));
  return { ...trackItems, clips, above: trackItems.above.map((each) => markClips(each, foreign)) };
}

/** Track items with all clips disabled. */
export function disableClips(trackItems: TrackItems): TrackItems {
  const clips = trackItems.clips.map((each) => ({ ...each, clip: { ...each.clip, enabled: false } }));
  return { ...trackItems, clips, above: trackItems.above.map(disableClips) };
}
