import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { splitByRanges, PREROLL_FRAMES, type DecodeRange } from './index.js';

const segments = [
  { clipId: 'a', from: 0, to: 100 },
  { clipId: 'b', from: 80, to: 200 },
];

const arbitraryRanges = fc
  .array(fc.tuple(fc.constantFrom('a', 'b'), fc.nat(60), fc.integer({ min: 1, max: 30 })), { maxLength: 8 })
  .map((samples): DecodeRange[] => {
    const ends = { a: 0, b: 80 };
    return samples.flatMap(([clipId, gap, length]) => {
      const id = clipId as 'a' | 'b';
      const from = ends[id] + gap;
      const to = Math.min(id === 'a' ? 100 : 200, from + length);
      if (to <= from) return [];
      ends[id] = to + 1;
      return [{ clipId, from, to, beginAt: from - 20 }];
    });
  });

describe('splitting segments by decode ranges', () => {
  it('keeps segments whole without ranges', () => {
    expect(splitByRanges(segments, undefined, 10)).toEqual(
      segments.map((segment) => ({ segment, from: segment.from, to: segment.to })),
    );
  });

  it('covers the ranges and the preroll, and nothing else (random ranges, frame by frame)', () => {
    fc.assert(
      fc.property(arbitraryRanges, fc.nat(199), (ranges, start) => {
        const parts = splitByRanges(segments, ranges, start);
        for (const segment of segments)
          for (let frame = Math.max(start, segment.from); frame < segment.to; frame++) {
            const isPlanned = ranges.some(
              ({ clipId, from, to }) => clipId === segment.clipId && from <= frame && frame < to,
            );
            const isDecoded = parts.some(
              (part) => part.segment === segment && part.from <= frame && frame < part.to,
            );
            expect(isDecoded).toBe(isPlanned || frame <= start + PREROLL_FRAMES);
          }
      }),
    );
  });

  it('sorts parts by the playhead at which decoding begins, each part once', () => {
    fc.assert(
      fc.property(arbitraryRanges, fc.nat(199), (ranges, start) => {
        const parts = splitByRanges(segments, ranges, start);
        const begins = parts.map(({ beginAt }) => beginAt!);
        expect(begins).toEqual(begins.toSorted((a, b) => a - b));
        const keys = parts.map(({ segment, from }) => `${segment.clipId} ${from}`);
        expect(new Set(keys).size).toBe(keys.length);
      }),
    );
  });
});
