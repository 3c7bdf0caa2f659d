import { describe, expect, it } from 'vitest';
import { copiesByDivisor } from './copies-by-divisor';

describe('copies that are wanted', () => {
  it('are asked for together where they have one size', () => {
    const groups = copiesByDivisor([
      { sourceId: 'a', divisor: 4 },
      { sourceId: 'b', divisor: 2 },
      { sourceId: 'c', divisor: 4 },
    ]);
    expect([...groups]).toEqual([
      [4, ['a', 'c']],
      [2, ['b']],
    ]);
    expect([...copiesByDivisor([])]).toEqual([]);
  });
});
