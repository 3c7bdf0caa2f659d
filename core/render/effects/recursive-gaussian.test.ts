import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { blurWeights } from './index.js';

const rowOf = ({ reach, weights }: ReturnType<typeof blurWeights>, place: number): Float32Array =>
  weights.subarray(place * (2 * reach + 1), (place + 1) * (2 * reach + 1));

describe('the weights of a blur', () => {
  it('have the deviation that was asked for', () => {
    fc.assert(
      fc.property(fc.double({ min: 0.5, max: 13, noNaN: true }), (deviation) => {
        const found = blurWeights(deviation, 4000);
        const middle = rowOf(found, (found.places - 1) / 2);
        // The variance of a distribution about its mean, by definition.
        const variance = middle.reduce((sum, weight, at) => sum + weight * (at - found.reach) ** 2, 0);
        expect(Math.sqrt(variance) / deviation).toBeCloseTo(1, 1);
      }),
    );
  });

  it('leave an even area as it is, up to its edges, and take nothing from beyond them', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0.2, max: 13, noNaN: true }),
        fc.integer({ min: 1, max: 500 }),
        (deviation, count) => {
          const found = blurWeights(deviation, count);
          for (let place = 0; place < found.places; place++) {
            const row = rowOf(found, place);
            expect(row.reduce((sum, weight) => sum + weight, 0)).toBeCloseTo(1, 5);
            row.forEach((weight, at) => {
              const from = place + at - found.reach;
              if (from < 0 || from >= found.places) expect(weight).toBe(0);
            });
          }
        },
      ),
      { numRuns: 30 },
    );
  });
});
