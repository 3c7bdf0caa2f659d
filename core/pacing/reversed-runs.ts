import { FrameTimeEstimator } from './frame-time-estimator.js';

/**
 * Where the runs of a clip that is played backwards begin: rule 8 of pacing. All pictures of a run are ready at once, since
 * the frame to be shown first is decoded last. Times are counted in frames of the timeline.
 */
export class ReversedRuns {
  private runTimes = new FrameTimeEstimator();

  /** A run was decoded. @param frames that it took, from when it could be begun */
  observe(frames: number): void {
    this.runTimes.observe(frames);
  }

  /**
   * First frame of the next run: one that is in time when the run is ready, by what the last two runs took.
   * @param next first frame behind the last run @param end behind the last frame of the clip
   */
  begin(next: number, end: number, playhead: number): number {
    if (!this.runTimes.willMissDeadline(next, playhead)) return next;
    return Math.min(end, Math.max(next, Math.ceil(playhead + this.runTimes.expected)));
  }

  /** A copy, for a simulation that continues from here. */
  copy(): ReversedRuns {
    const copy = new ReversedRuns();
    copy.runTimes = this.runTimes.copy();
    return copy;
  }

  /** State key: two with equal keys behave identically from here on. */
  stateKey(): string {
    return this.runTimes.stateKey();
  }
}
