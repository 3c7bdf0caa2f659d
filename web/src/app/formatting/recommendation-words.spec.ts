import type { Recommendation } from '@hone/core/findings';
import { describe, expect, it } from 'vitest';
import { bypassText, refusalText, recommendationText, withoutText } from './recommendation-words';

const copies: Recommendation = {
  change: { lever: 'make copies', copies: [{ sourceId: 'a', divisor: 4 }] },
  ...{ aim: 'playing', framesPerSecond: { before: 9, after: 24 }, waitMs: null },
  ...{ isRealTime: true, helps: true },
  loadPercent: { stage: 'decode', before: 146, after: 20 },
  pixels: { width: 960, height: 540 },
  price: null,
};
const scale: Recommendation = { ...copies, change: { lever: 'preview scale', playScale: 8 } };

describe('the words of recommendations', () => {
  it('name what a lever does and brings', () => {
    expect(recommendationText(copies)).toEqual({
      act: 'Make copies of 1 clip',
      result: '9 → 24 frames/s',
      plays: 'the whole timeline plays',
    });
    expect(recommendationText({ ...scale, isRealTime: false })).toEqual({
      act: 'Lower the preview scale to 1:8',
      result: '9 → 24 frames/s',
      plays: '',
    });
  });

  it('name how many frames are rendered', () => {
    const ranges = [
      { from: 10, to: 40 },
      { from: 90, to: 100 },
    ];
    const render: Recommendation = { ...copies, change: { lever: 'render stretches', ranges } };
    expect(recommendationText(render).act).toBe('Render 40 frames in advance');
  });

  it('name the effects that are bypassed, and what a run was played without', () => {
    const bypass: Recommendation = {
      ...copies,
      change: { lever: 'effect bypass', bypass: ['blur', 'colour'] },
    };
    expect(bypassText(['blur', 'colour', 'grain'])).toBe('blur, colour changes and grain');
    expect(recommendationText(bypass).act).toBe('Bypass blur and colour changes while playing');
    expect(refusalText({ ...bypass, loadPercent: { stage: 'decode', before: 146, after: 146 } })).toBe(
      'Bypassing blur and colour changes would not help: decode takes 146 % of the frame budget with or without it.',
    );
    expect(withoutText({ bypass: ['grain'] })).toBe(', without grain');
    expect(withoutText({ bypass: ['grain'], everySecondFrame: true })).toBe(
      ', without grain, every second frame',
    );
    expect(withoutText({})).toBe('');
  });

  it('say by how much a wait is shorter', () => {
    const calmer: Recommendation = {
      ...copies,
      ...{
        change: { lever: 'scale at rest', restScale: 4 },
        aim: 'scrubbing',
        waitMs: { before: 620, after: 90 },
      },
    };
    expect(recommendationText(calmer)).toEqual({
      act: 'Lower the scale at rest to 1:4',
      result: 'a picture after 620 ms → 90 ms',
      plays: '',
    });
    expect(refusalText({ ...calmer, waitMs: { before: 620, after: 600 } })).toBe(
      'A scale at rest of 1:4 would not help: the picture would come after 600 ms instead of 620 ms.',
    );
  });

  it('say why a lever does not help', () => {
    const same = { stage: 'decode', before: 146, after: 146 } as const;
    expect(refusalText({ ...scale, loadPercent: same })).toBe(
      'A preview scale of 1:8 would not help: decode takes 146 % of the frame budget with or without it.',
    );
    // The scale does not change the work of decoding.
    expect(refusalText({ ...scale, loadPercent: { ...same, after: 163 } })).toBe(
      'A preview scale of 1:8 would not help: decode takes 146 % of the frame budget with or without it.',
    );
    expect(refusalText({ ...copies, loadPercent: { ...same, after: 120 } })).toBe(
      'More light copies would not help: decode would go from 146 % to 120 % of the frame budget, and frames would still be late.',
    );
  });

  it('say what more pixels would cost', () => {
    const sharper: Recommendation = {
      ...scale,
      aim: 'sharpness',
      framesPerSecond: { before: 24, after: 24 },
    };
    expect(recommendationText(sharper)).toEqual({
      act: 'Raise the preview scale to 1:8',
      result: '24 frames/s as before',
      plays: '',
    });
    const originals: Recommendation = { ...sharper, change: { lever: 'play from originals' }, helps: false };
    expect(refusalText({ ...originals, framesPerSecond: { before: 24, after: 13.5 } })).toBe(
      'Playing from the originals would be too much: 13.5 frames/s would be shown.',
    );
  });
});
