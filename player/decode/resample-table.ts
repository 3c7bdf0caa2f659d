/** Sum of the weights of one result. */
const ONE = 16_384;

/**
 * How a side is resampled. Quick: by the area that each result covers when it shrinks, linear between neighbours when it
 * grows. Exact: by a cubic, as the export does it.
 */
export type ResampleKind = 'quick' | 'exact';

/** The weights with which one side of a picture is resampled. */
export interface ResampleTable {
  /** Bytes of one entry: first index (i32), number of weights (i32), weights (i16), zeros up to a multiple of four. */
  readonly entryBytes: number;
  readonly bytes: Uint8Array;
}

/**
 * @param from samples of the source, at least 1
 * @param to samples of the result, at least 1
 */
export function resampleTable(from: number, to: number, kind: ResampleKind = 'quick'): ResampleTable {
  const ratio = from / to;
  const quick = ratio > 1 ? Math.ceil(ratio) + 1 : 2;
  const taps = kind === 'quick' ? quick : Math.ceil(4 * Math.max(1, ratio)) + 1;
  const weigh = kind === 'exact' ? cubic : ratio > 1 ? area : linear;
  const entryBytes = 8 + 8 * Math.ceil(taps / 4);
  const bytes = new Uint8Array(entryBytes * to);
  const view = new DataView(bytes.buffer);
  for (let index = 0; index < to; index++) {
    const { first, weights } = weigh(index, ratio, from);
    const at = index * entryBytes;
    view.setInt32(at, first, true);
    view.setInt32(at + 4, weights.length, true);
    toFixed(weights).forEach((weight, tap) => view.setInt16(at + 8 + 2 * tap, weight, true));
  }
  return { entryBytes, bytes };
}

function area(index: number, ratio: number, from: number): { first: number; weights: number[] } {
  const start = index * ratio;
  const end = Math.min(from, start + ratio);
  const first = Math.floor(start + 1e-9);
  const weights: number[] = [];
  for (let sample = first; sample < end - 1e-9; sample++) {
    weights.push(Math.min(end, sample + 1) - Math.max(start, sample));
  }
  return { first, weights };
}

function linear(index: number, ratio: number, from: number): { first: number; weights: number[] } {
  const centre = Math.min(from - 1, Math.max(0, (index + 0.5) * ratio - 0.5));
  const first = Math.min(Math.floor(centre), Math.max(0, from - 2));
  return from === 1 ? { first: 0, weights: [1] } : { first, weights: [1 - (centre - first), centre - first] };
}

/**
 * The cubic of D. P. Mitchell and A. N. Netravali, "Reconstruction Filters in Computer Graphics", SIGGRAPH 1988, with
 * B = 0 and C = 0.6, which ffmpeg's bicubic scaling uses; wider where a side shrinks. What would lie outside counts for
 * the sample at the edge.
 */
function cubic(index: number, ratio: number, from: number): { first: number; weights: number[] } {
  const stretch = Math.max(1, ratio);
  const centre = (index + 0.5) * ratio - 0.5;
  const within = (sample: number): number => Math.min(from - 1, Math.max(0, sample));
  const start = Math.ceil(centre - 2 * stretch);
  const end = Math.floor(centre + 2 * stretch);
  const first = within(start);
  const weights = new Array<number>(within(end) - first + 1).fill(0);
  for (let sample = start; sample <= end; sample++)
    weights[within(sample) - first]! += cubicAt(Math.abs(sample - centre) / stretch);
  return { first, weights };
}

function cubicAt(distance: number): number {
  const c = 0.6;
  if (distance < 1) return (2 - c) * distance ** 3 + (c - 3) * distance ** 2 + 1;
  return distance < 2 ? -c * distance ** 3 + 5 * c * distance ** 2 - 8 * c * distance + 4 * c : 0;
}

// Rounding the running sum, not each weight, keeps their total at exactly one.
function toFixed(weights: number[]): number[] {
  const sum = weights.reduce((total, weight) => total + weight, 0);
  let exact = 0;
  let given = 0;
  return weights.map((weight) => {
    exact += weight;
    const fixed = Math.round((exact / sum) * ONE) - given;
    given += fixed;
    return fixed;
  });
}
