import { figureOf, type DecodeFigures, type Figure } from './rig.js';

/** A row of pictures that were decoded one after the other. */
export interface DecodeSample {
  /** Mean bits of a picture. */
  readonly ms: number;
  readonly bitsPerFrame: number;
}

/**
 * Share of decoding a mean picture that goes with its bits, where nothing else is known. In software most of the work is
 * coefficients: pictures between others, with a seventh of the bits, took a seventh of the time of those that they refer
 * to (ffmpeg, 4K H.264, with and without `-skip_frame noref`). Hardware takes about as long for all pictures of a size.
 */
export const USUAL_BIT_SHARE = 0.85;
export const HARDWARE_BIT_SHARE = 0.1;
/** Standard deviation of the usual share, and relative error of a sample. */
const SHARE_SPREAD = 0.15;
const SAMPLE_SPREAD = 0.2;

/**
 * Share of a picture's decode time that scales with its bits, from samples of one medium with different bits: ridge
 * regression with the usual share as its prior (Hastie, Tibshirani, Friedman, The Elements of Statistical Learning,
 * 2nd edition, 3.4.1).
 * @param usual share that is assumed without samples
 * @returns 0 to 1
 */
export function bitShareOf(samples: readonly DecodeSample[], usual = USUAL_BIT_SHARE): number {
  const mean = (of: (sample: DecodeSample) => number): number =>
    samples.reduce((sum, each) => sum + of(each), 0) / samples.length;
  const bits = mean(({ bitsPerFrame }) => bitsPerFrame);
  const ms = mean((sample) => sample.ms);
  if (!(bits > 0 && ms > 0)) return usual;
  let [together, alone] = [usual / SHARE_SPREAD ** 2, 1 / SHARE_SPREAD ** 2];
  for (const sample of samples) {
    const more = sample.bitsPerFrame / bits - 1;
    together += (more * (sample.ms / ms - 1)) / SAMPLE_SPREAD ** 2;
    alone += more ** 2 / SAMPLE_SPREAD ** 2;
  }
  return Math.min(1, Math.max(0, together / alone));
}

/**
 * Ratio of a picture's decode time to the mean picture's.
 * @param bitShare of the mean one
 * @param bits ratio of the bits
 */
const timesMean = (bitShare: number, bits: number): number => 1 + bitShare * (bits - 1);

/**
 * A figure of pictures with so many bits as one of the mean picture, by the usual share.
 * @param bitsPerFrame of the mean picture
 */
export function figureAtMean(figure: Figure, had: number, bitsPerFrame: number): Figure {
  if (!(had > 0 && bitsPerFrame > 0)) return figure;
  const times = timesMean(USUAL_BIT_SHARE, had / bitsPerFrame);
  return { ...figure, value: figure.value / times, low: figure.low / times, high: figure.high / times };
}

/**
 * The figures of decoding a medium's mean picture, from rows of its pictures that may have had more bits or fewer.
 * @param bitsPerFrame of its mean picture; 0 where it is not known: the rows are taken as they are
 * @param acceleration of the decoder
 */
export function decodedFigures(
  samples: readonly DecodeSample[],
  bitsPerFrame: number,
  about: Pick<Figure, 'method' | 'measuredAt' | 'disturbed'>,
  acceleration: DecodeFigures['acceleration'] = 'software',
): Pick<DecodeFigures, 'msPerFrame' | 'bitShare'> {
  if (samples.length === 0) return { msPerFrame: null, bitShare: undefined };
  const bitShare = bitShareOf(samples, acceleration === 'hardware' ? HARDWARE_BIT_SHARE : USUAL_BIT_SHARE);
  const values = samples.map(({ ms, bitsPerFrame: had }) =>
    bitsPerFrame > 0 && had > 0 ? ms / timesMean(bitShare, had / bitsPerFrame) : ms,
  );
  return { msPerFrame: figureOf(values, about), bitShare };
}
