import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { LEAD_SECONDS, SharedInputs, type Reading } from './graph/shared-inputs.js';

const reading = (from: number, to: number, sourceId = 'a'): Reading => ({ sourceId, from, to });

const anyReading = fc
  .record({
    sourceId: fc.constantFrom('a', 'b'),
    from: fc.integer({ min: 0, max: 400 }),
    length: fc.integer({ min: 1, max: 60 }),
  })
  .map(({ sourceId, from, length }) => reading(from / 10, (from + length) / 10, sourceId));

describe('Inputs that pieces share', () => {
  it('give each piece its part after those of earlier pieces, from one source, without long gaps', () => {
    let shared = 0;
    fc.assert(
      fc.property(
        fc.array(fc.array(anyReading, { minLength: 1, maxLength: 3 }), { maxLength: 30 }),
        (pieces) => {
          const inputs = new SharedInputs();
          const pieceOf = new Map<Reading, number>();
          pieces.forEach((readings, piece) => {
            const before = inputs.inputs.length;
            const opens = inputs.opensFor(readings, piece);
            for (const each of readings) {
              pieceOf.set(each, piece);
              expect(inputs.take(each, piece).readings.at(-1)).toBe(each);
            }
            expect(inputs.inputs.length - before).toBe(opens);
          });
          expect(inputs.inputs.flatMap(({ readings }) => readings)).toHaveLength(pieces.flat().length);
          for (const { readings } of inputs.inputs)
            readings.slice(1).forEach((each, at) => {
              const last = readings[at]!;
              expect(each.sourceId).toBe(last.sourceId);
              expect(pieceOf.get(each)!).toBeGreaterThan(pieceOf.get(last)!);
              expect(each.from).toBeGreaterThanOrEqual(last.to - 1e-6);
              expect(each.from - last.to).toBeLessThanOrEqual(2 * LEAD_SECONDS);
              shared++;
            });
        },
      ),
    );
    expect(shared).toBeGreaterThan(50);
  });

  it('are opened anew for what lies before, far behind, or is seen at the same time', () => {
    const inputs = new SharedInputs();
    const first = inputs.take(reading(10, 12), 0);
    expect(inputs.take(reading(12, 14), 1)).toBe(first);
    expect(inputs.take(reading(14, 15), 1)).not.toBe(first);
    expect(inputs.take(reading(13, 14), 2)).not.toBe(first);
    expect(inputs.take(reading(30, 31), 3)).not.toBe(first);
    expect(inputs.take(reading(14, 15, 'b'), 4)).not.toBe(first);
    expect(inputs.take(reading(17, 18), 5)).toBe(first);
  });
});
