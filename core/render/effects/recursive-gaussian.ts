/**
 * A Gaussian blur as a recursion: each sample takes in a share of the one before it, forwards and backwards along rows
 * and columns, a few times over. L. Alvarez and L. Mazorra, "Signal and image restoration using shock filters and
 * anisotropic diffusion", SIAM Journal on Numerical Analysis 31(2), 1994, section 5. Its cost does not depend on the
 * radius.
 */
export interface Recursion {
  /** Share of the sample before. */
  readonly share: number;
  /** Weights of the first and last sample of a line, which continue beyond its ends. */
  readonly border: number;
  /** Gain of the result, for rows and columns together. */
  readonly scale: number;
}

/** Times that rows and columns are gone through; more come nearer to the bell curve. */
export const BLUR_PASSES = 4;

/** @param deviation in samples, above zero */
export function recursionFor(deviation: number): Recursion {
  const lambda = deviation ** 2 / (2 * BLUR_PASSES);
  const share = (1 + 2 * lambda - Math.sqrt(1 + 4 * lambda)) / (2 * lambda);
  return { share, border: 1 / (1 - share), scale: (share / lambda) ** (2 * BLUR_PASSES) };
}

/** The recursion for each place of a line as weights of the samples around it. */
export interface BlurWeights {
  /** Samples to each side that are weighed. */
  readonly reach: number;
  /** Places that have weights of their own: the first and the last ones, and one in the middle for all others. */
  readonly places: number;
  /** For each place, weights of 2 reach + 1 samples, which add up to 1. */
  readonly weights: Float32Array;
}

/** Deviations beyond which a sample weighs hardly anything. */
const REACH = 5;
/** Reaches within which the end of a line is felt, twice. */
const PLACES = 4;

/**
 * @param deviation in samples, above zero
 * @param count of samples in a line
 */
export function blurWeights(deviation: number, count: number): BlurWeights {
  const { share, border } = recursionFor(deviation);
  const reach = Math.ceil(REACH * deviation) + 1;
  const places = Math.min(count, PLACES * reach + 1);
  const width = 2 * reach + 1;
  const weights = new Float32Array(places * width);
  for (let sample = 0; sample < places; sample++) {
    const line = new Float64Array(places);
    line[sample] = 1;
    for (let pass = 0; pass < BLUR_PASSES; pass++) {
      line[0]! *= border;
      for (let at = 1; at < places; at++) line[at]! += share * line[at - 1]!;
      line[places - 1]! *= border;
      for (let at = places - 2; at >= 0; at--) line[at]! += share * line[at + 1]!;
    }
    const last = Math.min(places - 1, sample + reach);
    for (let at = Math.max(0, sample - reach); at <= last; at++)
      weights[at * width + sample - at + reach] = line[at]!;
  }
  for (let place = 0; place < places; place++) {
    const row = weights.subarray(place * width, (place + 1) * width);
    const sum = row.reduce((total, weight) => total + weight, 0);
    row.forEach((weight, at) => (row[at] = weight / sum));
  }
  return { reach, places, weights };
}
