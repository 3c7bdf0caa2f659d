import { add, divide, multiply, rational, round, type Rational } from './rational.js';

/** The time at which a frame of a constant rate begins, in seconds. */
export function timeOfFrame(frame: number, rate: Rational): Rational {
  return divide(rational(frame), rate);
}

/**
 * Conforming: the frame of a constant-rate source nearest to a time. Exactly between two, the later.
 * @param time seconds from the first frame of the source
 * @param rate frames per second of the source
 */
export function nearestFrame(time: Rational, rate: Rational): number {
  return round(multiply(time, rate));
}

/**
 * Conforming by real time stamps: the index of the frame nearest to a time. Exactly between two, the later.
 * @param time seconds on the axis of the stamps
 * @param stamps start of each frame in seconds, ascending, at least one
 */
export function nearestStamp(time: number, stamps: ArrayLike<number>): number {
  let low = 0;
  let high = stamps.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    const midpoint = (stamps[middle - 1]! + stamps[middle]!) / 2;
    if (midpoint <= time) low = middle;
    else high = middle - 1;
  }
  return low;
}

/**
 * Source time of a timeline frame: the clip's in point plus the time since the clip's first frame, at a speed.
 * @param speed source seconds for each second of the timeline; below zero it runs backwards
 */
export function sourceTimeAt(
  sourceIn: Rational,
  framesIntoClip: number,
  timelineRate: Rational,
  speed: Rational = { num: 1, den: 1 },
): Rational {
  return add(sourceIn, multiply(timeOfFrame(framesIntoClip, timelineRate), speed));
}
