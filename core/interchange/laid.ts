import { add, multiply, subtract, ZERO, type Rational } from '../time/index.js';
import type { Foreign, Marker, TrackKind } from '../timeline/index.js';
import type { ImportedClip, ImportedTransition } from './imported.js';
import { seconds, type Range } from './otio-values.js';

/** Items of a track one behind the other, in seconds of the timeline. */
export interface Laid {
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
  /** What is not known, in the time that is left empty for it, and nested stacks, which are also laid flat. */
  items: {
    readonly at: Rational;
    readonly length: Rational;
    readonly item: unknown;
    readonly nest?: string | undefined;
  }[];
  readonly markers: (Omit<Marker, 'id' | 'frame'> & { readonly at: Rational })[];
  /** Tracks of nested stacks above their lowest, which need tracks of their own. */
  readonly above: Laid[];
  /** Of a track within a nested stack. */
  readonly kind: TrackKind | null;
  length: Rational;
}

export const nothing = (kind: TrackKind | null = null): Laid => ({
  clips: [],
  transitions: [],
  items: [],
  markers: [],
  above: [],
  kind,
  length: ZERO,
});

export const flattened = (laid: readonly Laid[]): Laid[] =>
  laid.flatMap((each) => [each, ...flattened(each.above)]);

export function shifted(laid: Laid, by: Rational): Laid {
  const move = <T extends { readonly at: Rational }>(each: T): T => ({ ...each, at: add(each.at, by) });
  return {
    clips: laid.clips.map(move),
    transitions: laid.transitions.map(move),
    items: laid.items.map(move),
    markers: laid.markers.map(move),
    above: laid.above.map((each) => shifted(each, by)),
    kind: laid.kind,
    length: laid.length,
  };
}

/** Only a piece of what was laid, moved to the beginning. */
export function trimmed(laid: Laid, { start, length }: Range): Laid {
  const end = add(start, length);
  const clips = laid.clips.flatMap(({ at, length: whole, clip }) => {
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
    transitions: laid.transitions.filter(isIn),
    // A nested stack that is cut off is no longer the one that the file names.
    items: laid.items.filter((each) => isIn(each) && each.nest === undefined),
    markers: laid.markers.filter(isIn),
    above: laid.above.map((each) => trimmed(each, { start, length })),
    kind: laid.kind,
    length: end,
  };
  return { ...shifted(piece, { num: -start.num, den: start.den }), above: piece.above, length };
}

/** What was laid with something changed in what is kept of each clip. */
export function markedClips(laid: Laid, foreign: Foreign): Laid {
  const clips = laid.clips.map((each) => ({
    ...each,
    clip: { ...each.clip, foreign: { ...each.clip.foreign, ...foreign } },
  }));
  return { ...laid, clips, above: laid.above.map((each) => markedClips(each, foreign)) };
}

/** What was laid with all clips off. */
export function switchedOff(laid: Laid): Laid {
  const clips = laid.clips.map((each) => ({ ...each, clip: { ...each.clip, enabled: false } }));
  return { ...laid, clips, above: laid.above.map(switchedOff) };
}
