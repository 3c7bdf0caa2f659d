import { describe, expect, it } from 'vitest';
import type { DecodeFigures, Figure, Rig } from '../machine/index.js';
import { CACHE_FORMATS, cacheFormat, type CacheFormatId } from '../media/index.js';
import { strongRig } from '../testing/scenes.js';
import { automaticFormats, chosenCacheFormat } from './cache-formats.js';

const PICTURES = { size: { width: 960, height: 540 }, framesPerSecond: 24 };
const PIXELS = 960 * 540;

const figure = (value: number): Figure => ({
  ...{ value, low: value, high: value, times: 3, method: 'given' },
  ...{ measuredAt: '2026-11-27T00:00:00.000Z', disturbed: false },
});

interface Given {
  readonly encodeMs: number;
  readonly decodeMs: number;
  readonly bytes: number;
  readonly likeness: number | null;
}

/** A usual machine: what is not compressed costs nothing but bytes. */
const USUAL: Readonly<Record<CacheFormatId, Given>> = {
  h264: { encodeMs: 5, decodeMs: 4, bytes: 90_000, likeness: 46 },
  'h264-lossless': { encodeMs: 9, decodeMs: 14, bytes: 400_000, likeness: null },
  ffv1: { encodeMs: 16, decodeMs: 20, bytes: 320_000, likeness: null },
  uncompressed: { encodeMs: 1.5, decodeMs: 1, bytes: 777_600, likeness: null },
};

function rigWith(change: Partial<typeof USUAL>, driveBytesPerSecond = 400e6): Rig {
  const given = { ...USUAL, ...change };
  const decoders = CACHE_FORMATS.map(({ id, codec, profile, isForBrowser }): DecodeFigures => ({
    ...{ decoder: isForBrowser ? 'browser' : 'server', codec, profile, chroma: '4:2:0', bitDepth: 8 },
    ...{ ...PICTURES.size, bitsPerFrame: 8 * given[id].bytes, acceleration: 'software' },
    ...{ msPerFrame: figure(given[id].decodeMs), together: [], problem: null },
  }));
  const rig = strongRig({}, driveBytesPerSecond);
  const cacheFormats = CACHE_FORMATS.map(({ id }) => ({
    ...{ format: id, works: true, reason: '', framesPerSecond: figure(1000 / given[id].encodeMs) },
    ...{ pixels: PIXELS, frameBytes: given[id].bytes, likeness: given[id].likeness },
  }));
  return { ...rig, decoders: [...rig.decoders, ...decoders], cacheFormats };
}

const chosen = (rig: Rig | undefined, pictures = PICTURES): CacheFormatId =>
  chosenCacheFormat(rig, 'automatic', pictures).id;

describe('the format of cached stretches', () => {
  it('is H.264 until the machine was measured, and what was chosen in any case', () => {
    expect(chosen(undefined)).toBe('h264');
    expect(chosen(strongRig())).toBe('h264');
    expect(chosenCacheFormat(undefined, 'automatic-lossless', PICTURES).isLossless).toBe(true);
    expect(chosenCacheFormat(rigWith({}), 'ffv1', PICTURES).id).toBe('ffv1');
  });

  it('is the one that is written, read and decoded in the least time', () => {
    expect(chosen(rigWith({}))).toBe('uncompressed');
    expect(chosen(rigWith({ uncompressed: { ...USUAL.uncompressed, decodeMs: 8 } }))).toBe('h264');
    expect(chosen(rigWith({ ffv1: { ...USUAL.ffv1, encodeMs: 0.5, decodeMs: 0.5 } }))).toBe('ffv1');
  });

  it('is the smallest of those that are as quick as can be told', () => {
    // H.264 takes 9.2 ms with reading.
    const others = { writeMs: 0.5, readMs: 777_600 / 400e3 };
    const rawOf = (ms: number): Given => ({
      ...USUAL.uncompressed,
      ...{ encodeMs: others.writeMs, decodeMs: ms - others.writeMs - others.readMs },
    });
    const h264Ms = 5 + 4 + 90_000 / 400e3;
    const withRaw = (ms: number): Rig => rigWith({ uncompressed: rawOf(ms) });
    expect(chosen(withRaw(h264Ms / 1.2))).toBe('h264');
    expect(chosen(withRaw(h264Ms / 1.3))).toBe('uncompressed');
  });

  it('is none that is less like the live picture than wanted', () => {
    const poor = rigWith({
      h264: { ...USUAL.h264, encodeMs: 0.1, decodeMs: 0.1, likeness: 39.9 },
    });
    expect(chosen(poor)).toBe('uncompressed');
    const good = rigWith({ h264: { ...USUAL.h264, encodeMs: 0.1, decodeMs: 0.1, likeness: 40 } });
    expect(chosen(good)).toBe('h264');
    expect(chosenCacheFormat(good, 'automatic-lossless', PICTURES).id).toBe('uncompressed');
  });

  it('is none that a slow drive cannot deliver beside others', () => {
    // 18.7 MB/s of planes at 24 frames/s; half of the drive must be left.
    expect(chosen(rigWith({}, 36e6))).toBe('h264');
    expect(automaticFormats(rigWith({}, 36e6), PICTURES).find(({ id }) => id === 'uncompressed')?.lack).toBe(
      'drive',
    );
    // Reading counts as well where it is not too much: 7.8 ms of it for planes, and 0.9 for H.264.
    expect(chosen(rigWith({}, 100e6))).toBe('h264');
  });

  it('grows with the pictures', () => {
    const large = { size: { width: 3840, height: 2160 }, framesPerSecond: 24 };
    // 299 MB/s of planes.
    expect(chosen(rigWith({}), large)).toBe('h264');
    const [costs] = automaticFormats(rigWith({}), large);
    expect(costs!.costs!.bytes).toBeCloseTo(16 * 90_000);
    expect(costs!.costs!.writeMs).toBeCloseTo(16 * 5);
    expect(costs!.costs!.decodeMs).toBeCloseTo(16 * 4, 0);
  });

  it('is passed over where it failed', () => {
    const rig = rigWith({});
    const cacheFormats = rig.cacheFormats!.map((each) =>
      each.format === 'uncompressed' ? { ...each, works: false, framesPerSecond: undefined } : each,
    );
    expect(chosen({ ...rig, cacheFormats })).toBe('h264');
  });

  it('of files from before there was a choice is H.264', () => {
    expect(cacheFormat('intra H.264').id).toBe('h264');
  });
});

describe('figures of pictures that Hone made', () => {
  it('say nothing of those of cameras, nor the other way round where there are own ones', () => {
    const rig = strongRig();
    const camera = rig.decoders.find(({ codec }) => codec === 'h264')!;
    const heavier = rigWith({ h264: { ...USUAL.h264, decodeMs: 400 } });
    const costs = (of: Rig): number => automaticFormats(of, PICTURES)[0]!.costs!.decodeMs;
    expect(costs(heavier)).toBeCloseTo(400);
    const bare = { ...heavier, decoders: [camera] };
    expect(costs(bare)).toBeLessThan(100);
  });
});
