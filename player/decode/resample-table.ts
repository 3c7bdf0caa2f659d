/** Sum of the weights of one result. */
const ONE = 16_384;

/**
 * The weights with which one side of a picture is resampled: the area that each result covers when it shrinks, linear
 * between neighbours when it grows.
 */
export interface ResampleTable {
  /** Bytes of one entry: first index (i32), number of weights (i32), weights (u16), zeros up to a multiple of four. */
  readonly entryBytes: number;
  readonly bytes: Uint8Array;
}

/**
 * @param from samples of the source, at least 1
 * @param to samples of the result, at least 1
 */
export function resampleTable(from: number, to: number): ResampleTable {
  const ratio = from / to;
  const taps = ratio > 1 ? Math.ceil(ratio) + 1 : 2;
  const entryBytes = 8 + 8 * Math.ceil(taps / 4);
  const bytes = new Uint8Array(entryBytes * to);
  const view = new DataView(bytes.buffer);
  for (let index = 0; index < to; index++) {
    const { first, weights } = ratio > 1 ? area(index, ratio, from) : linear(index, ratio, from);
    const at = index * entryBytes;
    view.setInt32(at, first, true);
    view.setInt32(at + 4, weights.length, true);
    toFixed(weights).forEach((weight, tap) => view.setUint16(at + 8 + 2 * tap, weight, true));
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

// The rounded running sum is what is kept exact, so that the weights sum to one however many there are.
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
