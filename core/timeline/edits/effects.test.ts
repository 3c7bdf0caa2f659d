import { describe, expect, it } from 'vitest';
import { rational } from '../../time/index.js';
import type { Effect } from '../effect.js';
import { emptyTimeline, type Timeline } from '../model.js';
import {
  addEffects,
  enableEffect,
  orderEffects,
  removeEffect,
  removeKeyframe,
  replaceEffects,
  setEffectValue,
  setFades,
  setFraming,
  setKeyframe,
  splitAt,
} from './index.js';

let next = 0;
const newId = (): string => `n${next++}`;

const effect = (id: string, kind = 'blur'): Effect => ({ id, kind, enabled: true, values: {} });

function timeline(effects: readonly Effect[]): Timeline {
  const empty = emptyTimeline(rational(24), { width: 640, height: 360 });
  const clip = {
    id: 'c',
    name: 'Clip',
    sourceId: 's',
    start: 100,
    length: 50,
    sourceIn: rational(0),
    enabled: true,
    effects,
  };
  return { ...empty, tracks: [{ ...empty.tracks[0]!, clips: [clip] }, empty.tracks[1]!] };
}

const effectsOf = (line: Timeline, clip = 0): readonly Effect[] => line.tracks[0]!.clips[clip]!.effects ?? [];
const at = { clipId: 'c', effectId: 'b' };
const C = new Set(['c']);

describe('effects of a clip', () => {
  it('are added behind the others, moved, turned off and taken away', () => {
    const three = timeline([effect('a'), effect('b'), effect('d')]);
    const added = addEffects(three, C, [effect('x', 'grain')], newId);
    expect(effectsOf(added).map(({ kind }) => kind)).toEqual(['blur', 'blur', 'blur', 'grain']);
    expect(effectsOf(added)[3]!.id).not.toBe('x');
    const order = (...ids: string[]) => effectsOf(orderEffects(three, at.clipId, ids)).map(({ id }) => id);
    expect(order('b', 'a', 'd')).toEqual(['b', 'a', 'd']);
    // What is not named stays behind.
    expect(order('d')).toEqual(['d', 'a', 'b']);
    expect(effectsOf(enableEffect(three, at, false)).map(({ enabled }) => enabled)).toEqual([
      true,
      false,
      true,
    ]);
    expect(effectsOf(removeEffect(three, at)).map(({ id }) => id)).toEqual(['a', 'd']);
    expect(effectsOf(replaceEffects(three, C, [effect('x', 'grain')], newId))).toHaveLength(1);
    expect(effectsOf(three)).toHaveLength(3);
  });

  it('take a value for the whole clip, or at a frame once they change along it', () => {
    const still = setEffectValue(timeline([effect('b')]), at, 'opacity', 40, 12);
    expect(effectsOf(still)[0]).toMatchObject({ values: { opacity: 40 } });
    expect(effectsOf(still)[0]!.keyframes).toBeUndefined();
    const keyed = setKeyframe(still, at, 'opacity', { frame: 0, value: 0, ease: 'smooth' });
    const more = setEffectValue(setEffectValue(keyed, at, 'opacity', 80, 20), at, 'opacity', 5, 0);
    expect(effectsOf(more)[0]!.keyframes).toEqual({
      opacity: [
        { frame: 0, value: 5, ease: 'smooth' },
        { frame: 20, value: 80, ease: 'linear' },
      ],
    });
    const one = removeKeyframe(more, at, 'opacity', 0);
    const none = removeKeyframe(one, at, 'opacity', 20);
    expect(effectsOf(none)[0]).toMatchObject({ values: { opacity: 80 } });
    expect(effectsOf(none)[0]!.keyframes).toBeUndefined();
  });

  it('stay where they are in time when the clip is split', () => {
    const row = [
      { frame: 0, value: 0, ease: 'linear' as const },
      { frame: 40, value: 100, ease: 'linear' as const },
    ];
    const whole = timeline([{ ...effect('b'), keyframes: { opacity: row } }]);
    const split = splitAt(whole, 110, C, newId);
    expect(effectsOf(split, 1)[0]!.keyframes!['opacity']!.map(({ frame }) => frame)).toEqual([-10, 30]);
  });

  it('do not come between the fades of sound: where a clip is cut, it neither comes nor goes', () => {
    const faded = setFades(timeline([]), C, { in: 10, out: 900 });
    expect(faded.tracks[0]!.clips[0]!.fades).toEqual({ in: 10, out: 50 });
    const [first, second] = splitAt(faded, 120, C, newId).tracks[0]!.clips;
    expect(first!.fades).toEqual({ in: 10, out: 0 });
    expect(second!.fades).toEqual({ in: 0, out: 50 });
  });

  it('leave a clip that fits as it is, and say when one fills the frame', () => {
    const filled = setFraming(timeline([]), C, 'fill');
    expect(filled.tracks[0]!.clips[0]!.framing).toBe('fill');
    expect(setFraming(filled, C, 'fit').tracks[0]!.clips[0]!.framing).toBeUndefined();
    expect(setFraming(filled, C, 'fill').tracks[0]!.clips[0]!.framing).toBe('fill');
  });
});
