import { rational, type Rational } from '../time/index.js';

/** Rates that files write as decimals. */
const USUAL: readonly Rational[] = [
  ...[24, 30, 48, 60, 120].map((whole) => rational(whole * 1000, 1001)),
  ...[23, 24, 25, 30, 48, 50, 60, 100, 120].map((whole) => rational(whole)),
];

/**
 * The fraction of a decimal: a usual rate when it is as near as a file's rounding, else the simplest
 * fraction within a millionth.
 * @throws RangeError when it is no positive number
 */
export function rationalOf(value: number): Rational {
  if (!Number.isFinite(value) || value <= 0 || value > 1e6) throw new RangeError(`${value} is not a rate.`);
  const usual = USUAL.find(({ num, den }) => Math.abs(num / den - value) < 0.002);
  return usual ?? simplest(value, 1e-6);
}

/** The fraction with the smallest denominator within a distance, by continued fractions. */
export function simplest(value: number, within: number): Rational {
  const sign = value < 0 ? -1 : 1;
  const size = Math.abs(value);
  let [num0, den0, num1, den1] = [0, 1, 1, 0];
  let rest = size;
  for (let step = 0; step < 40; step++) {
    const whole = Math.floor(rest);
    [num0, num1] = [num1, whole * num1 + num0];
    [den0, den1] = [den1, whole * den1 + den0];
    if (Math.abs(num1 / den1 - size) <= within || !Number.isSafeInteger(num1 * 2) || rest === whole) break;
    rest = 1 / (rest - whole);
  }
  return rational(sign * num1, den1);
}
