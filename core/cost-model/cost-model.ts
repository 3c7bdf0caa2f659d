import {
  byPath,
  estimateDecode,
  madeAlike,
  type DecodeEstimate,
  type DecodeLoad,
} from './decode-estimate.js';
import type { ComposeProcessor } from '../levers/index.js';
import { showsOn, type DecodeFigures, type Rig } from '../machine/index.js';
import { isMadeAlike } from '../media/index.js';

/** ms a frame = base + perMegapixel × megapixels + perMegabit × megabits. */
export interface DecodeCost {
  readonly baseMs: number;
  readonly msPerMegapixel: number;
  readonly msPerMegabit: number;
  /** Measurements that it was fitted to. */
  readonly points: number;
}

interface Point {
  readonly megapixels: number;
  readonly megabits: number;
  readonly ms: number;
}

/** Sets of terms that are tried, the plainest first. */
const TERMS = [
  ['msPerMegapixel'],
  ['msPerMegapixel', 'msPerMegabit'],
  ['baseMs', 'msPerMegapixel'],
  ['baseMs', 'msPerMegapixel', 'msPerMegabit'],
] as const;

const valueOf = (
  term: (typeof TERMS)[number][number],
  { megapixels, megabits }: Omit<Point, 'ms'>,
): number => (term === 'baseMs' ? 1 : term === 'msPerMegapixel' ? megapixels : megabits);

/**
 * Fits the cost of decoding to measurements, by least squares of the relative error, with no negative term: of the
 * sets of terms that the measurements can carry, the one that fits best.
 * @throws RangeError when there is nothing to fit to
 */
export function fitDecodeCost(points: readonly Point[]): DecodeCost {
  if (points.length === 0) throw new RangeError('There is no measurement to fit a cost to.');
  let best: { cost: DecodeCost; error: number } | undefined;
  for (const terms of TERMS) {
    if (terms.length > points.length) continue;
    const solved = leastSquares(
      points.map((point) => terms.map((term) => valueOf(term, point) / point.ms)),
      points.map(() => 1),
    );
    if (!solved || solved.some((value) => value < 0)) continue;
    const cost: DecodeCost = {
      baseMs: 0,
      msPerMegapixel: 0,
      msPerMegabit: 0,
      ...Object.fromEntries(terms.map((term, at) => [term, solved[at]])),
      points: points.length,
    };
    const error = points.reduce((sum, point) => sum + (msOf(cost, point) / point.ms - 1) ** 2, 0);
    // A term more must pay for itself.
    if (!best || error < 0.9 * best.error) best = { cost, error };
  }
  return best!.cost;
}

const msOf = ({ baseMs, msPerMegapixel, msPerMegabit }: DecodeCost, load: Omit<Point, 'ms'>): number =>
  baseMs + msPerMegapixel * load.megapixels + msPerMegabit * load.megabits;

// Solves the normal equations by elimination; undefined when they have no single answer.
function leastSquares(rows: readonly (readonly number[])[], wanted: readonly number[]): number[] | undefined {
  const width = rows[0]!.length;
  const matrix = Array.from({ length: width }, (_, i) => [
    ...Array.from({ length: width }, (__, j) => rows.reduce((sum, row) => sum + row[i]! * row[j]!, 0)),
    rows.reduce((sum, row, at) => sum + row[i]! * wanted[at]!, 0),
  ]);
  for (let column = 0; column < width; column++) {
    let pivot = column;
    for (let row = column; row < width; row++)
      if (Math.abs(matrix[row]![column]!) > Math.abs(matrix[pivot]![column]!)) pivot = row;
    [matrix[column], matrix[pivot]] = [matrix[pivot]!, matrix[column]!];
    const lead = matrix[column]!;
    if (Math.abs(lead[column]!) < 1e-12) return undefined;
    for (let row = 0; row < width; row++) {
      if (row === column) continue;
      const factor = matrix[row]![column]! / lead[column]!;
      for (let at = column; at <= width; at++) matrix[row]![at]! -= factor * lead[at]!;
    }
  }
  return matrix.map((row, at) => row[width]! / row[at]!);
}

type DecodedKind = Pick<DecodeLoad, 'decoder' | 'path' | 'codec' | 'profile' | 'chroma' | 'bitDepth'>;

/** Costs that were fitted to a rig's decoders. */
const fitted = new WeakMap<Rig['decoders'], Map<string, DecodeCost | undefined>>();

/** The cost of decoding one codec on a rig; undefined when nothing like it was measured. */
export function decodeCostOf(rig: Rig, load: DecodedKind): DecodeCost | undefined {
  const known = fitted.get(rig.decoders) ?? new Map<string, DecodeCost | undefined>();
  fitted.set(rig.decoders, known);
  const key = `${load.decoder} ${load.codec} ${load.profile} ${load.chroma} ${load.bitDepth} ${load.path}`;
  if (!known.has(key)) known.set(key, fittedCost(rig, load));
  return known.get(key);
}

function fittedCost(rig: Rig, load: DecodedKind): DecodeCost | undefined {
  const of = (figures: DecodeFigures): boolean => isAlike(figures, load) && figures.msPerFrame !== null;
  const alike = madeAlike(rig.decoders, load.profile, of).filter(of);
  const points = byPath(alike, load.path).map((figures) => {
    const megapixels = (figures.width * figures.height) / 1e6;
    return { megapixels, megabits: figures.bitsPerFrame / 1e6, ms: figures.msPerFrame!.value };
  });
  return points.length ? fitDecodeCost(points) : undefined;
}

const isAlike = (figures: DecodeFigures, { decoder, codec, chroma, bitDepth }: DecodedKind): boolean =>
  figures.decoder === decoder &&
  figures.codec === codec &&
  figures.chroma === chroma &&
  figures.bitDepth === bitDepth;

/** A measurement counts for a load whose pixels and bits differ by no more than this share. */
const AS_GOOD_AS_SAME = 0.08;

/** Figures of so many sources of a kind say what others of that kind take. */
const FIT_FOR_OTHERS = 2;
/** ms that a rig needs to decode a frame: as measured where just that was, as fitted to its kind, or as estimated. */
export function decodeMs(rig: Rig, load: DecodeLoad): DecodeEstimate {
  const isNear = (a: number, b: number): boolean => Math.abs(a - b) <= AS_GOOD_AS_SAME * b;
  const same = rig.decoders.find(
    (figures) =>
      figures.msPerFrame !== null &&
      isAlike(figures, load) &&
      isMadeAlike(figures.profile, load.profile) &&
      isNear((figures.width * figures.height) / 1e6, load.megapixels) &&
      isNear(figures.bitsPerFrame / 1e6, load.megabits),
  );
  if (same) return { ms: same.msPerFrame!.value, spread: 0 };
  const cost = decodeCostOf(rig, load);
  return cost && cost.points >= FIT_FOR_OTHERS
    ? { ms: msOf(cost, load), spread: 0 }
    : estimateDecode(rig, load);
}

/** ms of a kernel of one stage for a number of megapixels; undefined when it was not measured. */
export function kernelMs(
  rig: Rig,
  kernel: string,
  megapixels: number,
  processor: ComposeProcessor = 'processor',
): number | undefined {
  const figures = rig.kernels.find((each) => each.kernel === kernel && each.on === processor);
  return figures && figures.msPerMegapixel.value * megapixels;
}

/** ms that showing a picture of a size takes, between the sizes that were measured; undefined when none was. */
export function showMs(
  rig: Rig,
  megapixels: number,
  processor: ComposeProcessor = 'processor',
): number | undefined {
  const shows = showsOn(rig, processor)
    .map(({ width, height, ms }) => ({ megapixels: (width * height) / 1e6, ms: ms.value }))
    .sort((a, b) => a.megapixels - b.megapixels);
  const first = shows[0];
  if (!first) return undefined;
  const above = shows.findIndex((show) => show.megapixels >= megapixels);
  const [low, high] =
    above > 0
      ? [shows[above - 1]!, shows[above]!]
      : above === 0
        ? [undefined, first]
        : [undefined, shows.at(-1)!];
  if (!low) return high.ms * (above === 0 ? 1 : megapixels / high.megapixels);
  const part = (megapixels - low.megapixels) / (high.megapixels - low.megapixels);
  return low.ms + part * (high.ms - low.ms);
}

/** Name of the kernel that reduces by a divisor; the rig measures each. */
export const scaleKernel = (scale: number): string => (scale === 1 ? 'copy' : `reduce 1:${scale}`);

/** Kernels that resample by a ratio that is no whole number: to about a quarter, and to far less. */
export const RESAMPLE = 'resample';
export const RESAMPLE_FAR = 'resample far';
/** Pixels of the result for one of the source, when the rig measures them. */
const RESAMPLED = 0.0736;
const RESAMPLED_FAR = 0.00385;

/** ms of resampling a picture: a part for what it reads, and a part for what it makes. Undefined when not measured. */
export function resampleMs(rig: Rig, source: number, result: number): number | undefined {
  const near = kernelMs(rig, RESAMPLE, source);
  const far = kernelMs(rig, RESAMPLE_FAR, source);
  if (near === undefined || far === undefined) return near;
  const slope = Math.max(0, near - far) / (RESAMPLED - RESAMPLED_FAR);
  return Math.min(near, far) + slope * Math.max(0, result / source - RESAMPLED_FAR);
}

/** Ratio of presenting to showing where it was not measured: about that of a machine without a graphics processor. */
const USUAL_PRESENT_SHARE = 0.6;

/** Time the browser takes beside the player to present a picture of a size, ms. */
export function presentMs(rig: Rig, megapixels: number): number | undefined {
  const shown = showMs(rig, megapixels);
  const measured = rig.shows.find((each) => each.presentMs);
  const share = measured ? measured.presentMs!.value / measured.ms.value : USUAL_PRESENT_SHARE;
  return shown === undefined ? undefined : shown * share;
}
