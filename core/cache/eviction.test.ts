import fc from 'fast-check';
import { sum } from 'd3-array';
import { describe, expect, it } from 'vitest';
import { clockOf, evictionsFor, priorityOf, type Evictable } from './index.js';

const kept = (id: string, bytes: number, madeInMs: number, uses = 1, clock = 0): Evictable => ({
  ...{ id, bytes, madeInMs, uses },
  priority: priorityOf(clock, { bytes, madeInMs, uses }),
});
const none = (): boolean => false;

describe('Eviction', () => {
  it('lets go first what is quick to make again for its size', () => {
    const all = [kept('slow', 100, 900), kept('large', 300, 900), kept('quick', 100, 50)];
    expect(evictionsFor(all, 400, none)).toEqual(['quick']);
    expect(evictionsFor(all, 100, none)).toEqual(['quick', 'large']);
    expect(evictionsFor(all, 500, none)).toEqual([]);
  });

  it('keeps what is used often, until the clock has passed it', () => {
    const often = kept('often', 100, 100, 5);
    const once = kept('once', 100, 100);
    expect(evictionsFor([often, once], 100, none)).toEqual(['once']);
    // A clock that rose by what was evicted: uses of long ago count less than one now.
    const now = kept('now', 100, 100, 1, often.priority);
    expect(evictionsFor([often, now], 100, none)).toEqual(['often']);
    expect([clockOf([often, once]), clockOf([])]).toEqual([once.priority, 0]);
  });

  it('makes room, with no more than it takes, and never touches what is protected', () => {
    const any = fc.record({
      bytes: fc.integer({ min: 1, max: 1000 }),
      madeInMs: fc.integer({ min: 0, max: 5000 }),
    });
    fc.assert(
      fc.property(
        fc.array(any, { maxLength: 20 }),
        fc.nat(5000),
        fc.nat(20),
        (made, capacity, protectedCount) => {
          const all = made.map(({ bytes, madeInMs }, at) => kept(`${at}`, bytes, madeInMs));
          const isProtected = (id: string): boolean => Number(id) < protectedCount;
          const gone = evictionsFor(all, capacity, isProtected);
          expect(gone.some(isProtected)).toBe(false);
          const left = (ids: readonly string[]): number =>
            sum(all, ({ id, bytes }) => (ids.includes(id) ? 0 : bytes));
          const open = all.filter(({ id }) => !isProtected(id)).length;
          if (gone.length < open) expect(left(gone)).toBeLessThanOrEqual(capacity);
          if (gone.length) expect(left(gone.slice(0, -1))).toBeGreaterThan(capacity);
        },
      ),
    );
  });
});
