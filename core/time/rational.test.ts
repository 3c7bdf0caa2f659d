import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  add,
  compare,
  divide,
  floor,
  formatRational,
  multiply,
  parseRational,
  rational,
  round,
  subtract,
  toNumber,
} from './index.js';

const fraction = fc
  .tuple(fc.integer({ min: -1_000_000, max: 1_000_000 }), fc.integer({ min: 1, max: 100_000 }))
  .map(([num, den]) => rational(num, den));

describe('fractions', () => {
  it('are kept in lowest terms with a positive denominator', () => {
    expect(rational(10, -4)).toEqual({ num: -5, den: 2 });
    expect(rational(0, 7)).toEqual({ num: 0, den: 1 });
    expect(rational(60_000, 1001)).toEqual({ num: 60_000, den: 1001 });
  });

  it('refuse what is no fraction', () => {
    expect(() => rational(1, 0)).toThrow(RangeError);
    expect(() => rational(1.5)).toThrow(/two integers/);
    expect(() => divide(rational(1), rational(0))).toThrow(RangeError);
    expect(() => multiply(rational(Number.MAX_SAFE_INTEGER), rational(Number.MAX_SAFE_INTEGER))).toThrow(
      /53 bits/,
    );
  });

  it('obey the laws of arithmetic', () => {
    fc.assert(
      fc.property(fraction, fraction, (a, b) => {
        expect(subtract(add(a, b), b)).toEqual(a);
        expect(add(a, b)).toEqual(add(b, a));
        if (b.num !== 0) expect(multiply(divide(a, b), b)).toEqual(a);
      }),
    );
  });

  it('are ordered as their values are', () => {
    fc.assert(
      fc.property(fraction, fraction, (a, b) => {
        expect(Math.sign(compare(a, b))).toBe(Math.sign(toNumber(a) - toNumber(b)));
      }),
    );
  });

  it('are rounded down by floor, and halves up by round', () => {
    expect([floor(rational(-1, 2)), floor(rational(7, 2)), floor(rational(-4))]).toEqual([-1, 3, -4]);
    expect([
      round(rational(1, 2)),
      round(rational(-1, 2)),
      round(rational(5, 2)),
      round(rational(249, 100)),
    ]).toEqual([1, 0, 3, 2]);
  });

  it('are read and written as ffmpeg does it', () => {
    expect(formatRational(rational(24))).toBe('24');
    expect(parseRational('60000/1001')).toEqual(rational(60_000, 1001));
    expect(parseRational('0/0')).toBeUndefined();
    expect(parseRational('twenty')).toBeUndefined();
    fc.assert(
      fc.property(fraction, (a) => {
        expect(parseRational(formatRational(a))).toEqual(a);
      }),
    );
  });
});
