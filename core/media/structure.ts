import type { FrameSize } from '../timeline/index.js';
import type { PacketIndex } from './packet-index.js';
import { unreferencedBy, unreferencedRule, type UnreferencedRule } from './unreferenced.js';

/** Picture structure of a source, by its packet index. */
export interface PictureStructure {
  readonly packets: number;
  readonly keyFrames: number;
  /** Every frame on its own, or groups of pictures that refer to each other. */
  readonly kind: 'intra' | 'long-GOP';
  /** Frames of the shortest, the middle and the longest group of pictures. */
  readonly gopFrames: { readonly shortest: number; readonly median: number; readonly longest: number };
  /** Whether frames are decoded in another order than they are shown. */
  readonly reordered: boolean;
  readonly pictureBytes: number;
  readonly averageBitsPerSecond: number;
  /** The most over any second, and where it begins, seconds from the first frame. */
  readonly peakBitsPerSecond: number;
  readonly peakAtSeconds: number;
  readonly bitsPerFrame: number;
  readonly bitsPerPixel: number;
  /** ms between a frame and the next one. */
  readonly stepMs: { readonly shortest: number; readonly median: number; readonly longest: number };
  /** False when steps differ by more than the ticks of the file round. */
  readonly constantRate: boolean;
  /** Frames to decode to show one from a cold start: mean over all frames, and the most. */
  readonly coldStartFrames: { readonly mean: number; readonly most: number };
  /** Rule that recognises unreferenced pictures, and their share; absent where there are none or it is unknown. */
  readonly unreferenced?: UnreferencedRule;
  readonly unreferencedShare?: number;
}

/** Steps that differ by no more than this share of a frame, or by two ticks, are the same. */
const SAME_STEP = 0.02;

function spread(values: readonly number[] | Float64Array): {
  shortest: number;
  median: number;
  longest: number;
} {
  const sorted = Float64Array.from(values).sort();
  return {
    shortest: sorted[0] ?? 0,
    median: sorted[Math.floor(sorted.length / 2)] ?? 0,
    longest: sorted.at(-1) ?? 0,
  };
}

/**
 * Derives what a packet index says of the picture.
 * @param size of the coded picture
 * @param sample whether no other refers to it, for the first pictures in the order in which they are decoded
 * @throws RangeError when the index is empty
 */
export function pictureStructure(
  index: PacketIndex,
  size: FrameSize,
  sample: readonly boolean[] = [],
): PictureStructure {
  const count = index.length;
  if (count === 0) throw new RangeError('The packet index holds no packets.');
  const keyAt: number[] = [];
  let pictureBytes = 0;
  for (let at = 0; at < count; at++) {
    pictureBytes += index.sizes[at]!;
    if (index.keys[at]) keyAt.push(at);
  }
  const gops = (keyAt.length ? keyAt : [0]).map((at, k) => (keyAt[k + 1] ?? count) - at);
  const gopFrames = spread(gops);
  const steps = stepsOf(index);
  const stepMs = spread(steps.map((ticks) => (1000 * ticks) / index.ticksPerSecond));
  const seconds =
    (steps.reduce((sum, step) => sum + step, 0) * (count / (count - 1 || 1))) / index.ticksPerSecond;
  const duration = seconds > 0 ? seconds : 1;
  const tickMs = 1000 / index.ticksPerSecond;
  const slackMs = Math.max(2 * tickMs, SAME_STEP * stepMs.median);
  const distances = index.decodeDistances();
  const peak = peakSecond(index);
  const rule = unreferencedRule(index, sample);
  return {
    packets: count,
    keyFrames: keyAt.length,
    kind: keyAt.length === count ? 'intra' : 'long-GOP',
    gopFrames,
    reordered: index.shownOrder.some((at, order) => at !== order),
    pictureBytes,
    averageBitsPerSecond: (8 * pictureBytes) / duration,
    // A clip shorter than a second has its own average for a peak.
    peakBitsPerSecond: Math.max(8 * peak.bytes, duration < 1 ? (8 * pictureBytes) / duration : 0),
    peakAtSeconds: peak.atSeconds,
    bitsPerFrame: (8 * pictureBytes) / count,
    bitsPerPixel: (8 * pictureBytes) / count / (size.width * size.height),
    stepMs,
    constantRate: stepMs.longest - stepMs.median <= slackMs && stepMs.median - stepMs.shortest <= slackMs,
    coldStartFrames: {
      mean: distances.reduce((sum, distance) => sum + distance, 0) / count,
      most: distances.reduce((most, distance) => Math.max(most, distance), 0),
    },
    ...(rule && {
      unreferenced: rule,
      unreferencedShare: unreferencedBy(index, rule).reduce((sum, is) => sum + is, 0) / count,
    }),
  };
}

function stepsOf(index: PacketIndex): Float64Array {
  const order = index.shownOrder;
  return Float64Array.from({ length: Math.max(0, order.length - 1) }, (_, at) => {
    return index.pts[order[at + 1]!]! - index.pts[order[at]!]!;
  });
}

// Packets are read in decode order; the window is one second long and open at its end.
function peakSecond(index: PacketIndex): { bytes: number; atSeconds: number } {
  const { dts, sizes, ticksPerSecond } = index;
  let from = 0;
  let bytes = 0;
  let best = { bytes: 0, at: 0 };
  for (let at = 0; at < index.length; at++) {
    bytes += sizes[at]!;
    while (dts[at]! - dts[from]! >= ticksPerSecond) bytes -= sizes[from++]!;
    if (bytes > best.bytes) best = { bytes, at: from };
  }
  return { bytes: best.bytes, atSeconds: Math.max(0, (dts[best.at]! - (dts[0] ?? 0)) / ticksPerSecond) };
}
