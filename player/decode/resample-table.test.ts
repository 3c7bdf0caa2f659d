import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { resampleTable } from './resample-table.js';

const entry = (from: number, to: number, index: number): { first: number; weights: number[] } => {
  const { bytes, entryBytes } = resampleTable(from, to);
  const view = new DataView(bytes.buffer);
  const count = view.getInt32(index * entryBytes + 4, true);
  return {
    first: view.getInt32(index * entryBytes, true),
    weights: Array.from({ length: count }, (_, tap) =>
      view.getUint16(index * entryBytes + 8 + 2 * tap, true),
    ),
  };
};

describe('weights for resampling', () => {
  it('always sum to one and stay inside the source', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 4096 }), fc.integer({ min: 1, max: 400 }), (from, to) => {
        for (const index of [0, to >> 1, to - 1]) {
          const { first, weights } = entry(from, to, index);
          expect(weights.reduce((sum, weight) => sum + weight, 0)).toBe(16_384);
          expect(first).toBeGreaterThanOrEqual(0);
          expect(first + weights.length).toBeLessThanOrEqual(from);
        }
      }),
    );
  });

  it('are the covered area when a side shrinks: 1530 to 540 covers 2.83 samples', () => {
    const { first, weights } = entry(1530, 540, 1);
    expect(first).toBe(2);
    expect(weights.map((weight) => Math.round((weight / 16_384) * (1530 / 540) * 1000) / 1000)).toEqual([
      0.167, 1, 1, 0.667,
    ]);
  });

  it('are linear between neighbours when a side grows', () => {
    expect(entry(4, 8, 1)).toEqual({ first: 0, weights: [12_288, 4096] });
  });
});
