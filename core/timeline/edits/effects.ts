import { valueAt, type Effect, type EffectValue, type Keyframe } from '../effect.js';
import type { Clip, Fades, Framing, Timeline } from '../model.js';
import { withClips, type NewId } from './clip-slicing.js';

/** Address of an effect: its clip and its id. */
export interface EffectPlace {
  readonly clipId: string;
  readonly effectId: string;
}

/**
 * Adds effects to clips.
 * @param placeIn index in the effects of a clip at which they go; behind all when it is not given
 */
export const addEffects = (
  timeline: Timeline,
  ids: ReadonlySet<string>,
  effects: readonly Omit<Effect, 'id'>[],
  newId: NewId,
  placeIn: (effects: readonly Effect[]) => number = ({ length }) => length,
): Timeline =>
  withClips(timeline, ids, (clip) => {
    const before = clip.effects ?? [];
    const at = placeIn(before);
    return { ...clip, effects: [...before.slice(0, at), ...renamed(effects, newId), ...before.slice(at)] };
  });

/** Puts effects in the place of those that clips have. */
export const replaceEffects = (
  timeline: Timeline,
  ids: ReadonlySet<string>,
  effects: readonly Omit<Effect, 'id'>[],
  newId: NewId,
): Timeline => withClips(timeline, ids, (clip) => ({ ...clip, effects: renamed(effects, newId) }));

const renamed = (effects: readonly Omit<Effect, 'id'>[], newId: NewId): readonly Effect[] =>
  effects.map((effect) => ({ ...effect, id: newId() }));

export const removeEffect = (timeline: Timeline, place: EffectPlace): Timeline =>
  withEffects(timeline, place, (effects) => effects.filter(({ id }) => id !== place.effectId));

/** Turns an effect on or off; off ones keep their values. */
export const enableEffect = (timeline: Timeline, place: EffectPlace, enabled: boolean): Timeline =>
  withEffect(timeline, place, (effect) => ({ ...effect, enabled }));

/** Puts the effects of a clip in an order; those that are not named stay behind the others. */
export const orderEffects = (timeline: Timeline, clipId: string, ids: readonly string[]): Timeline =>
  withClips(timeline, new Set([clipId]), (clip) => {
    const place = ({ id }: Effect): number => (ids.includes(id) ? ids.indexOf(id) : ids.length);
    return { ...clip, effects: [...(clip.effects ?? [])].sort((a, b) => place(a) - place(b)) };
  });

/**
 * Sets a value. One that changes along the clip gets it at a frame of the clip, as a keyframe.
 * @param at frame from the clip's first
 */
export function setEffectValue(
  timeline: Timeline,
  place: EffectPlace,
  parameter: string,
  value: EffectValue,
  at: number,
): Timeline {
  return withEffect(timeline, place, (effect) => {
    const row = effect.keyframes?.[parameter];
    if (row?.length && typeof value === 'number') {
      const ease = row.find(({ frame }) => frame === at)?.ease ?? 'linear';
      return withRow(effect, parameter, withKeyframe(row, { frame: at, value, ease }));
    }
    return { ...effect, values: { ...effect.values, [parameter]: value } };
  });
}

/** Sets a keyframe, in the place of one at the same frame. */
export const setKeyframe = (
  timeline: Timeline,
  place: EffectPlace,
  parameter: string,
  keyframe: Keyframe,
): Timeline =>
  withEffect(timeline, place, (effect) =>
    withRow(effect, parameter, withKeyframe(effect.keyframes?.[parameter] ?? [], keyframe)),
  );

/** Deletes a keyframe. The value of the last one deleted applies to the whole clip. */
export const removeKeyframe = (
  timeline: Timeline,
  place: EffectPlace,
  parameter: string,
  at: number,
): Timeline =>
  withEffect(timeline, place, (effect) => {
    const row = effect.keyframes?.[parameter] ?? [];
    const rest = row.filter(({ frame }) => frame !== at);
    const values =
      rest.length || !row.length ? effect.values : { ...effect.values, [parameter]: valueAt(row, at) };
    return withRow({ ...effect, values }, parameter, rest);
  });

/** Makes pictures as large as goes into the frame, or as small as covers it. */
export const setFraming = (timeline: Timeline, ids: ReadonlySet<string>, framing: Framing): Timeline =>
  withClips(timeline, ids, (clip) =>
    (clip.framing ?? 'fit') === framing
      ? clip
      : { ...clip, framing: framing === 'fit' ? undefined : framing },
  );

/** Fades sound in and out over some frames, at most as many as each clip has. */
export const setFades = (timeline: Timeline, ids: ReadonlySet<string>, fades: Fades): Timeline =>
  withClips(timeline, ids, (clip) => {
    const within = (frames: number): number => Math.max(0, Math.min(clip.length, Math.round(frames)));
    return { ...clip, fades: { in: within(fades.in), out: within(fades.out) } };
  });

const withKeyframe = (row: readonly Keyframe[], keyframe: Keyframe): readonly Keyframe[] =>
  [...row.filter(({ frame }) => frame !== keyframe.frame), keyframe].sort((a, b) => a.frame - b.frame);

function withRow({ keyframes, ...effect }: Effect, parameter: string, row: readonly Keyframe[]): Effect {
  const others = Object.entries(keyframes ?? {}).filter(([name]) => name !== parameter);
  const rows = row.length ? [...others, [parameter, row] as const] : others;
  return rows.length ? { ...effect, keyframes: Object.fromEntries(rows) } : effect;
}

function withEffects(
  timeline: Timeline,
  { clipId }: EffectPlace,
  change: (effects: readonly Effect[]) => readonly Effect[],
): Timeline {
  return withClips(timeline, new Set([clipId]), (clip): Clip => {
    const before = clip.effects ?? [];
    const after = change(before);
    return after === before ? clip : { ...clip, effects: after };
  });
}

const withEffect = (timeline: Timeline, place: EffectPlace, change: (effect: Effect) => Effect): Timeline =>
  withEffects(timeline, place, (effects) =>
    effects.map((effect) => (effect.id === place.effectId ? change(effect) : effect)),
  );
