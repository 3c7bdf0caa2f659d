import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { endOfMissing, missingParts } from './index.js';

describe('kept pictures', () => {
  it('end decoding where many follow each other, and not where a few do', () => {
    const isKept = (frame: number): boolean => (frame >= 10 && frame < 20) || (frame >= 40 && frame < 80);
    expect(endOfMissing(0, 100, isKept)).toBe(40);
    expect(missingParts({ from: 0, to: 100 }, isKept)).toEqual([
      { from: 0, to: 40 },
      { from: 80, to: 100 },
    ]);
    expect(missingParts({ from: 45, to: 75 }, isKept)).toEqual([]);
  });

  it('leave every missing frame to decoding, once, and in order', () => {
    fc.assert(
      fc.property(fc.array(fc.boolean(), { maxLength: 200 }), fc.nat(30), (rows, repeat) => {
        const kept = rows.flatMap((each) => Array.from({ length: 1 + repeat }, () => each));
        const parts = missingParts({ from: 0, to: kept.length }, (frame) => kept[frame]!);
        let end = 0;
        for (const part of parts) {
          expect(part.from).toBeGreaterThanOrEqual(end);
          expect(part.to).toBeGreaterThan(part.from);
          end = part.to;
        }
        const isDecoded = (frame: number): boolean =>
          parts.some(({ from, to }) => from <= frame && frame < to);
        for (const [frame, isKept] of kept.entries()) if (!isKept) expect(isDecoded(frame)).toBe(true);
      }),
    );
  });
});
