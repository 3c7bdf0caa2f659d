import { describe, expect, it } from 'vitest';
import type { CacheFormatFigures, Figure, Rig } from '@hone/core/machine';
import { SIMULATED_RIGS } from '@hone/core/machine';
import { offeredFormats, type OfferedFormat } from './cache-format-words';

const PICTURES = { size: { width: 960, height: 540 }, framesPerSecond: 24 };

const figure = (value: number): Figure => ({
  ...{ value, low: value, high: value, times: 1, method: 'given' },
  ...{ measuredAt: '2026-11-27T00:00:00.000Z', disturbed: false },
});

const tried = (
  format: CacheFormatFigures['format'],
  more: Partial<CacheFormatFigures>,
): CacheFormatFigures => ({
  ...{ format, works: true, reason: '', framesPerSecond: figure(200), pixels: 960 * 540 },
  ...{ frameBytes: 100_000, likeness: 46.04, ...more },
});

const rigWith = (...cacheFormats: CacheFormatFigures[]): Rig => ({ ...SIMULATED_RIGS[0]!, cacheFormats });

const offered = (rig: Rig | null, choice: OfferedFormat['choice']): OfferedFormat =>
  offeredFormats(rig, PICTURES).find((each) => each.choice === choice)!;

describe('what is said of the formats of the render cache', () => {
  it('is what to do before the machine was measured', () => {
    expect(offered(null, 'automatic').text).toBe(
      'H.264, intra-coded, until this machine is measured on the page Rig',
    );
    expect(offered(null, 'ffv1').text).toBe('not tried yet: measure this machine on the page Rig');
    expect(offered(SIMULATED_RIGS[0]!, 'automatic').text).toContain('until this machine is measured');
  });

  it('is what each takes, and what Automatic takes of them', () => {
    const rig = rigWith(tried('h264', {}));
    expect(offered(rig, 'h264')).toMatchObject({ name: 'H.264, intra-coded', problem: null });
    expect(offered(rig, 'h264').text).toMatch(
      /^written at 200 frames\/s, read and decoded in [\d.]+ ms, 144 MB a minute, 46\.0 dB like live$/,
    );
    expect(offered(rig, 'automatic').text).toBe(
      'now H.264, intra-coded, the smallest of the quickest that are 40 dB or more like live',
    );
    expect(offered(rigWith(tried('h264', { likeness: null })), 'h264').text).toMatch(/, lossless$/);
  });

  it('is why one is not taken or cannot be', () => {
    const poor = rigWith(tried('h264', { likeness: 38 }));
    expect(offered(poor, 'h264').text).toMatch(
      /38\.0 dB like live, below the 40 dB that Automatic asks for$/,
    );
    const failed = tried('ffv1', { works: false, reason: 'Unknown encoder', framesPerSecond: undefined });
    expect(offered(rigWith(failed), 'ffv1').problem).toBe('ffmpeg does not write it here: Unknown encoder');
  });
});
