import { add, multiply, subtract, ZERO, type Rational } from '../time/index.js';
import type { TransitionKind } from '../timeline/index.js';
import type { ImportedClip } from './imported.js';
import { seconds, type Range } from './otio-values.js';

/** Items of a track one behind the other, in seconds of the timeline. */
export interface Laid {
  clips: {
    readonly at: Rational;
    readonly length: Rational;
    readonly clip: Omit<ImportedClip, 'start' | 'length'>;
  }[];
  transitions: {
    readonly at: Rational;
    readonly before: Rational;
    readonly after: Rational;
    readonly kind: TransitionKind;
    readonly colour?: string | undefined;
  }[];
  /** What is not known, in the time that is left empty for it. */
  items: { readonly at: Rational; readonly length: Rational; readonly item: unknown }[];
  readonly markers: { readonly at: Rational; readonly name: string; readonly note: string }[];
  /** Tracks of nested stacks above their lowest, which need tracks of their own. */
  readonly above: Laid[];
  length: Rational;
}

export const nothing = (): Laid => ({
  clips: [],
  transitions: [],
  items: [],
  markers: [],
  above: [],
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
    items: laid.items.filter(isIn),
    markers: laid.markers.filter(isIn),
    above: laid.above.map((each) => trimmed(each, { start, length })),
    length: end,
  };
  return { ...shifted(piece, { num: -start.num, den: start.den }), above: piece.above, length };
}
