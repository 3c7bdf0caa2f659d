import { describe, expect, it } from 'vitest';
import { rational, ZERO, type Rational } from '../time/index.js';
import { missingMedia, readCmx, sourceFor, timecodeStart, type Relinkable } from './index.js';
import { rationalOf, simplest } from './rates.js';
import { HOUR, MEDIA } from './testing-media.js';

describe('relinking', () => {
  const reference = (
    name: string,
    target = '',
    more: { startSeconds?: Rational; lengthSeconds?: Rational } = {},
  ) => ({
    name,
    target,
    startSeconds: null,
    lengthSeconds: null,
    ...more,
  });

  it('goes by path, then by name, then by timecode and length', () => {
    const twice: Relinkable[] = [
      ...MEDIA,
      {
        ...MEDIA[0]!,
        id: 'weir again',
        path: '/elsewhere/weir.mp4',
        startSeconds: HOUR,
        lengthSeconds: rational(5),
      },
    ];
    expect(sourceFor(reference('weir.mp4', 'file:///elsewhere/weir.mp4'), twice)!.id).toBe('weir again');
    expect(sourceFor(reference('GULLS'), twice)!.id).toBe('gulls');
    expect(sourceFor(reference('weir.mp4', '', { startSeconds: HOUR }), twice)!.id).toBe('weir again');
    expect(sourceFor(reference('weir.mp4', '', { lengthSeconds: rational(600) }), twice)!.id).toBe('weir');
    expect(sourceFor(reference('heron.mp4'), twice)).toBeUndefined();
  });

  it('goes by what is in a file when its name is gone, and only then', () => {
    const [weir, ...others] = MEDIA;
    const known = [{ ...weir!, contentHash: 'a'.repeat(64) }, ...others];
    const content = { sha256: 'a'.repeat(64), bytes: 9 };
    expect(sourceFor({ ...reference('renamed.mp4'), content }, known)!.id).toBe('weir');
    expect(sourceFor({ ...reference('gulls.mp4'), content }, known)!.id).toBe('gulls');
    expect(
      sourceFor({ ...reference('renamed.mp4'), content: { ...content, sha256: 'b'.repeat(64) } }, known),
    ).toBeUndefined();
  });

  it('lists what is missing, each once', () => {
    const list = ['heron', 'weir', 'heron'].map(
      (name, at) =>
        `00${at + 1} AX V C 00:00:00:00 00:00:01:00 00:00:0${at}:00 00:00:0${at + 1}:00\n* FROM CLIP NAME: ${name}.mp4`,
    );
    expect(missingMedia(readCmx(list.join('\n'), rational(24)), MEDIA).map(({ name }) => name)).toEqual([
      'heron.mp4',
    ]);
  });

  it('reads a source’s own timecode', () => {
    expect(timecodeStart('01:00:00:00', rational(25))).toEqual(HOUR);
    expect(timecodeStart('01:00:00;00', rational(30_000, 1001))).toEqual(rational(107_892 * 1001, 30_000));
    expect(timecodeStart(null, rational(25))).toEqual(ZERO);
    expect(timecodeStart('nonsense', rational(25))).toEqual(ZERO);
  });
});

describe('decimals', () => {
  it('become the fractions that they stand for', () => {
    expect(rationalOf(23.976)).toEqual(rational(24_000, 1001));
    expect(rationalOf(29.97)).toEqual(rational(30_000, 1001));
    expect(rationalOf(59.94005994)).toEqual(rational(60_000, 1001));
    expect(rationalOf(12.5)).toEqual(rational(25, 2));
    expect(simplest(-0.3333333333, 1e-6)).toEqual(rational(-1, 3));
    for (const bad of [0, -1, NaN, Infinity, 1e9]) expect(() => rationalOf(bad)).toThrow(RangeError);
  });
});
