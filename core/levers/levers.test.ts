import { describe, expect, it } from 'vitest';
import { BYPASSABLE, FIRST_TUNING, previewPixels, relist, tuningSchema, workingSize } from './index.js';

const UHD = { width: 3840, height: 2160 };

describe('A working size', () => {
  it('is the timeline’s own unless a smaller one was chosen', () => {
    expect(workingSize(UHD, {})).toEqual(UHD);
    expect(workingSize(UHD, { workingLines: 4320 })).toEqual(UHD);
    expect(workingSize({ width: 1280, height: 720 }, { workingLines: 1080 })).toEqual({
      width: 1280,
      height: 720,
    });
  });

  it('has the sizes that people drop to (common practice, no source)', () => {
    expect(workingSize(UHD, { workingLines: 1080 })).toEqual({ width: 1920, height: 1080 });
    expect(workingSize(UHD, { workingLines: 720 })).toEqual({ width: 1280, height: 720 });
  });

  it('keeps the shape, in even pixels', () => {
    expect(workingSize({ width: 2160, height: 3840 }, { workingLines: 1080 })).toEqual({
      width: 608,
      height: 1080,
    });
    expect(workingSize({ width: 2704, height: 1524 }, { workingLines: 540 })).toEqual({
      width: 958,
      height: 540,
    });
  });

  it('is what the preview scale divides', () => {
    const tuning = { ...FIRST_TUNING, playScale: 4, restScale: 1, workingLines: 1080 } as const;
    expect(previewPixels(UHD, tuning, 'playing')).toEqual({ width: 480, height: 270 });
    expect(previewPixels(UHD, tuning, 'at rest')).toEqual({ width: 1920, height: 1080 });
  });

  it('is checked as input, and may be absent', () => {
    const isTuning = (value: object): boolean => tuningSchema.isValidSync(value, { strict: true });
    expect(isTuning(FIRST_TUNING)).toBe(true);
    expect(isTuning({ ...FIRST_TUNING, workingLines: 1080 })).toBe(true);
    expect(isTuning({ ...FIRST_TUNING, workingLines: 0 })).toBe(false);
    expect(isTuning({ ...FIRST_TUNING, workingLines: '1080' })).toBe(false);
  });
});

describe('Lists of a tuning', () => {
  it('gain and lose members, each once, and are absent where they are empty', () => {
    expect(relist(undefined, ['a'], true)).toEqual(['a']);
    expect(relist(['a', 'b'], ['a', 'c'], true)).toEqual(['b', 'a', 'c']);
    expect(relist(['a', 'b'], ['b', 'c'], false)).toEqual(['a']);
    expect(relist(['a'], ['a'], false)).toBeUndefined();
  });
});

describe('Effect bypass', () => {
  it('is checked as input, may be absent, and names what is done to pixels alone', () => {
    const isTuning = (bypass: unknown): boolean =>
      tuningSchema.isValidSync({ ...FIRST_TUNING, bypass }, { strict: true });
    for (const fine of [undefined, [], ['blur'], [...BYPASSABLE]]) expect(isTuning(fine)).toBe(true);
    for (const wrong of ['blur', ['transform'], ['mask'], [1], [null]]) expect(isTuning(wrong)).toBe(false);
  });
});
