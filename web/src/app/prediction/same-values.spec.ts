import { describe, expect, it } from 'vitest';
import { sameValues } from './same-values';

describe('Same values', () => {
  const list = [1, 2];

  it('are those of the same fields, as deep as is asked', () => {
    expect(sameValues({ a: 1, b: { c: list } }, { a: 1, b: { c: list } }, 2)).toBe(true);
    expect(sameValues({ a: 1, b: { c: list } }, { a: 1, b: { c: list } }, 1)).toBe(false);
    expect(sameValues({ a: NaN, b: null }, { b: null, a: NaN }, 1)).toBe(true);
  });

  it('differ by a field, by a missing field, and by another list', () => {
    expect(sameValues({ a: 1 }, { a: 2 }, 1)).toBe(false);
    expect(sameValues({ a: undefined }, { b: undefined }, 1)).toBe(false);
    expect(sameValues({ a: 1 }, { a: 1, b: 2 }, 1)).toBe(false);
    expect(sameValues({ a: list }, { a: [1, 2] }, 3)).toBe(false);
    expect(sameValues({ a: 1 }, null, 1)).toBe(false);
    expect(sameValues(new Map(), new Map(), 1)).toBe(false);
  });
});
