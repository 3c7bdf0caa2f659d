import { isTooLate } from './rules.js';

/** By how much less a picture is expected to take with each one that was left out for it. */
const DOUBT = 0.97;

/**
 * Rule 2 of pacing, for the pictures of one clip: one that could not be ready before its time is over is not begun.
 * Times are counted in frames of the timeline.
 */
export class FrameTimeEstimator {
  private last = 0;
  private before = 0;
  private doubt = 1;

  /** Expected time of the next picture, in frames. */
  get expected(): number {
    return (this.doubt * (this.last + this.before)) / 2;
  }

  /** A picture was made. @param frames that it took, from when it could be begun */
  observe(frames: number): void {
    this.before = this.last === 0 ? frames : this.last;
    this.last = frames;
    this.doubt = 1;
  }

  /** Whether a picture of a frame will miss its deadline at a playhead. Each frame skipped makes the next less likely to. */
  willMissDeadline(frame: number, playhead: number): boolean {
    if (isTooLate(frame, playhead)) return true;
    if (!isTooLate(frame, playhead + this.expected)) return false;
    this.doubt *= DOUBT;
    return true;
  }

  /** A copy, for a simulation that continues from here. */
  copy(): FrameTimeEstimator {
    const copy = new FrameTimeEstimator();
    copy.last = this.last;
    copy.before = this.before;
    copy.doubt = this.doubt;
    return copy;
  }

  /** State key: two with equal keys behave identically from here on. */
  stateKey(): string {
    return [this.last, this.before, this.doubt].map((each) => each.toFixed(6)).join();
  }
}
