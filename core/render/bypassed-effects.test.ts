import { describe, expect, it } from 'vitest';
import { FIRST_TUNING, tuningSchema } from '../levers/index.js';
import { sourceFacts } from '../testing/index.js';
import { rational } from '../time/index.js';
import { emptyTimeline, type Effect, type Timeline } from '../timeline/index.js';
import { bypassedOf, effectKey, previewGraph, withoutBypassed } from './index.js';

const FACTS = sourceFacts({ size: { width: 640, height: 360 }, frameCount: 100 });
const effect = (kind: string, enabled = true): Effect => ({ id: kind, kind, enabled, values: {} });

/** Two clips with the same effects, as after a split. */
function timeline(): Timeline {
  const empty = emptyTimeline(rational(24), { width: 640, height: 360 });
  const effects = [effect('blur'), effect('exposure'), effect('vignette', false), effect('transform')];
  const clip = (id: string, start: number) => ({
    ...{ id, name: id, sourceId: 's', start, length: 24, sourceIn: rational(0), enabled: true },
    effects,
  });
  const [pictures, sound] = empty.tracks;
  return { ...empty, tracks: [{ ...pictures!, clips: [clip('a', 0), clip('b', 24)] }, sound!] };
}

const played = (levers: object): string[][] => {
  const preview = previewGraph(
    timeline(),
    { ...FIRST_TUNING, ...levers },
    () => FACTS,
    () => undefined,
  );
  // At rest, all of them are seen.
  expect(preview.graph.stretches.map(({ layers }) => layers[0]!.effects.length)).toEqual([3, 3]);
  return preview.live.stretches.map(({ layers }) => layers[0]!.effects.map(({ kind }) => kind));
};

describe('Effects of clips that are bypassed', () => {
  it('are those of pixels of a clip, or one of them, and of no other clip', () => {
    const all = ['blur', 'exposure', 'transform'];
    expect(played({})).toEqual([all, all]);
    expect(played({ bypassedClips: ['a'] })).toEqual([['transform'], all]);
    expect(played({ bypassedEffects: [effectKey('b', 'blur')] })).toEqual([all, ['exposure', 'transform']]);
    expect(played({ bypassedClips: ['gone'], bypassedEffects: [effectKey('a', 'transform')] })).toEqual([
      all,
      all,
    ]);
  });

  it('are listed, and leave the timeline as it is', () => {
    const before = timeline();
    const [clip] = before.tracks[0]!.clips;
    expect(bypassedOf(clip!, { bypassedClips: ['a'] }).map(({ kind }) => kind)).toEqual(['blur', 'exposure']);
    expect(bypassedOf(clip!, {})).toEqual([]);
    expect(withoutBypassed(before, { bypassedClips: ['gone'] })).toBe(before);
    withoutBypassed(before, { bypassedClips: ['a'] });
    expect(before).toEqual(timeline());
  });

  it('are checked as input', () => {
    const isTuning = (change: object): boolean =>
      tuningSchema.isValidSync({ ...FIRST_TUNING, ...change }, { strict: true });
    expect(isTuning({ bypassedClips: ['a'], bypassedEffects: [effectKey('a', 'blur')] })).toBe(true);
    expect(isTuning({ bypassedClips: 'a' })).toBe(false);
    expect(isTuning({ bypassedEffects: [3] })).toBe(false);
  });
});
