import type { Tuning } from '../../levers/index.js';
import type { Clip, Effect, Timeline } from '../../timeline/index.js';
import { isEffectKind, passKindOf } from '../effects/index.js';

/** Levers that leave out effects of single clips while it plays. */
type ClipBypass = Pick<Tuning, 'bypassedClips' | 'bypassedEffects'>;

/** Name of an effect of a clip in a tuning: effects of split and copied clips share identifiers. */
export const effectKey = (clipId: string, effectId: string): string => `${clipId}/${effectId}`;

/** Whether an effect changes pixels only: position, crop and masks are never bypassed. */
export const canBypass = ({ kind }: Pick<Effect, 'kind'>): boolean =>
  isEffectKind(kind) && passKindOf(kind) !== null;

/** Enabled effects of a clip that are left out while it plays. */
export function bypassedOf(clip: Clip, levers: ClipBypass): readonly Effect[] {
  const { bypassedClips = [], bypassedEffects = [] } = levers;
  const isWhole = bypassedClips.includes(clip.id);
  if (!isWhole && bypassedEffects.length === 0) return [];
  return (clip.effects ?? []).filter(
    (effect) =>
      effect.enabled &&
      canBypass(effect) &&
      (isWhole || bypassedEffects.includes(effectKey(clip.id, effect.id))),
  );
}

/** A timeline as it is played: bypassed effects of clips are disabled. @returns the same timeline where none is */
export function withoutBypassed(timeline: Timeline, levers: ClipBypass): Timeline {
  if (!levers.bypassedClips?.length && !levers.bypassedEffects?.length) return timeline;
  const without = (clip: Clip): Clip => {
    const out = new Set(bypassedOf(clip, levers));
    const disabled = (effect: Effect): Effect => (out.has(effect) ? { ...effect, enabled: false } : effect);
    return out.size === 0 ? clip : { ...clip, effects: clip.effects!.map(disabled) };
  };
  const tracks = timeline.tracks.map((track) => {
    const clips = track.kind === 'picture' ? track.clips.map(without) : track.clips;
    return clips.every((clip, at) => clip === track.clips[at]) ? track : { ...track, clips };
  });
  return tracks.every((track, at) => track === timeline.tracks[at]) ? timeline : { ...timeline, tracks };
}
