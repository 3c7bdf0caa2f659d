/**
 * An exact fraction. `den` is positive and the fraction is in lowest terms.
 * Times are fractions of a second, rates are fractions of frames per second.
 */
export interface Rational {
  readonly num: number;
  readonly den: number;
}

const gcd = (a: bigint, b: bigint): bigint => (b === 0n ? a : gcd(b, a % b));

function reduced(num: bigint, den: bigint): Rational {
  if (den === 0n) throw new RangeError('A fraction needs a denominator other than zero.');
  const sign = den < 0n ? -1n : 1n;
  const divisor = gcd(num < 0n ? -num : num, den < 0n ? -den : den) * sign || 1n;
  const result = { num: Number(num / divisor), den: Number(den / divisor) };
  if (!Number.isSafeInteger(result.num) || !Number.isSafeInteger(result.den)) {
    throw new RangeError(`The fraction ${num}/${den} does not fit in 53 bits.`);
  }
  return result;
}

/**
 * @param num numerator, an integer
 * @param den denominator, an integer other than zero
 * @throws RangeError when either is not an integer or the denominator is zero
 */
export function rational(num: number, den = 1): Rational {
  if (!Number.isSafeInteger(num) || !Number.isSafeInteger(den)) {
    throw new RangeError(`A fraction needs two integers, but got ${num}/${den}.`);
  }
  return reduced(BigInt(num), BigInt(den));
}

export const ZERO: Rational = { num: 0, den: 1 };

export function add(a: Rational, b: Rational): Rational {
  return reduced(
    BigInt(a.num) * BigInt(b.den) + BigInt(b.num) * BigInt(a.den),
    BigInt(a.den) * BigInt(b.den),
  );
}

export function subtract(a: Rational, b: Rational): Rational {
  return add(a, { num: -b.num, den: b.den });
}

export function multiply(a: Rational, b: Rational): Rational {
  return reduced(BigInt(a.num) * BigInt(b.num), BigInt(a.den) * BigInt(b.den));
}

/** @throws RangeError when `b` is zero */
export function divide(a: Rational, b: Rational): Rational {
  return reduced(BigInt(a.num) * BigInt(b.den), BigInt(a.den) * BigInt(b.num));
}

/** Negative, zero or positive as `a` is less than, equal to or greater than `b`. */
export function compare(a: Rational, b: Rational): number {
  const difference = BigInt(a.num) * BigInt(b.den) - BigInt(b.num) * BigInt(a.den);
  return difference < 0n ? -1 : difference > 0n ? 1 : 0;
}

export function equal(a: Rational, b: Rational): boolean {
  return compare(a, b) === 0;
}

/** The largest integer that is not greater than the fraction. */
export function floor(a: Rational): number {
  const num = BigInt(a.num);
  const den = BigInt(a.den);
  const quotient = num / den;
  return Number(num % den !== 0n && num < 0n ? quotient - 1n : quotient);
}

/** The nearest integer; a half goes up. */
export function round(a: Rational): number {
  return floor(add(a, { num: 1, den: 2 }));
}

/** For clocks, codecs and drawing only: everything before them stays exact. */
export function toNumber(a: Rational): number {
  return a.num / a.den;
}

/** "24", "60000/1001": the form in which ffmpeg reads and writes rates. */
export function formatRational(a: Rational): string {
  return a.den === 1 ? String(a.num) : `${a.num}/${a.den}`;
}

/**
 * Reads "24", "60000/1001" or "0/0".
 * @returns undefined when the text is not a fraction with a positive denominator
 */
export function parseRational(text: string): Rational | undefined {
  const match = /^(-?\d{1,15})(?:\/(\d{1,15}))?$/.exec(text.trim());
  if (!match) return undefined;
  const den = Number(match[2] ?? '1');
  return den === 0 ? undefined : rational(Number(match[1]), den);
}
