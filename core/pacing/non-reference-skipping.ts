import { isTooLate } from './rules.js';

/** By how many frames a picture must be ahead not to be left out, so that those that others refer to come in time. */
const MARGIN = 1;
/** Pictures by which it is judged how long a decoder takes for a size. */
const JUDGED_BY = 12;

/**
 * Rule 5 of pacing, for one decoder: a picture that no other refers to is not decoded when it would come too late, and so
 * spares those after it from coming late. Times are counted in frames of the timeline. Sizes are in whatever unit goes
 * with the cost: pictures that no other refers to are often small, and cheap.
 */
export class NonReferenceSkipping {
  private frames: readonly number[] = [];
  private sizes: readonly number[] = [];
  /** Frames that a decoder works for a size of 1. */
  private pace = NaN;

  /** A picture was decoded. @param frames that the decoder worked for it */
  observe(frames: number, size: number): void {
    this.frames = [...this.frames.slice(1 - JUDGED_BY), frames];
    this.sizes = [...this.sizes.slice(1 - JUDGED_BY), size];
    const sum = (list: readonly number[]): number => list.reduce((total, each) => total + each, 0);
    this.pace = sum(this.frames) / Math.max(1e-9, sum(this.sizes));
  }

  /**
   * Whether a frame's picture would come too late if it were given to the decoder now.
   * @param size of it, and of all that the decoder has to do before
   * @param making what it takes to make it, once it is decoded
   */
  isLate(frame: number, playhead: number, size: number, making: number): boolean {
    if (Number.isNaN(this.pace)) return false;
    return isTooLate(frame, playhead + this.pace * size + making + MARGIN);
  }

  /** A copy, for a simulation that continues from here. */
  copy(): NonReferenceSkipping {
    const copy = new NonReferenceSkipping();
    copy.frames = this.frames;
    copy.sizes = this.sizes;
    copy.pace = this.pace;
    return copy;
  }

  /** State key: two with equal keys behave identically from here on. */
  stateKey(): string {
    return [...this.frames, ...this.sizes].map((each) => each.toFixed(6)).join();
  }
}
