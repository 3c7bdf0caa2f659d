import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { TokenBucket } from './index.js';

describe('a token bucket', () => {
  // Its definition: in any time t at most rate × t + burst passes, and all of the rate is given to whoever waits.
  it('lets no more than its rate and its burst through any window, and no less than its rate', () => {
    const pieces = fc.array(fc.integer({ min: 1, max: 60_000 }), { minLength: 20, maxLength: 300 });
    fc.assert(
      fc.property(pieces, fc.integer({ min: 1000, max: 1e6 }), (sizes, rate) => {
        const burst = rate * 0.02;
        const bucket = new TokenBucket(rate, burst, 0);
        let now = 0;
        const passed = sizes.map((bytes) => {
          now += bucket.take(bytes, now);
          return { at: now, bytes };
        });
        for (let from = 0; from < passed.length; from++) {
          let sum = 0;
          for (let to = from + 1; to < passed.length; to++) {
            sum += passed[to]!.bytes;
            const seconds = (passed[to]!.at - passed[from]!.at) / 1000;
            expect(sum).toBeLessThanOrEqual(rate * seconds + burst + 1e-3);
          }
        }
        const all = sizes.reduce((sum, bytes) => sum + bytes, 0);
        expect((now / 1000) * rate).toBeCloseTo(Math.max(0, all - burst), 3);
      }),
    );
  });

  it('saves up no more than its burst', () => {
    const bucket = new TokenBucket(1000, 100, 0);
    expect(bucket.take(100, 60_000)).toBe(0);
    expect(bucket.take(50, 60_000)).toBe(50);
  });

  it('needs a rate', () => {
    expect(() => new TokenBucket(0, 1, 0)).toThrow(/positive/);
  });
});
