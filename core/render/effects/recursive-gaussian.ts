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
