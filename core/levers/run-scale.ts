import { PREVIEW_SCALES, type PreviewScale } from './tuning.js';

/** Time between two looks at a run, seconds: the scale changes at most once in it. */
export const RUN_SCALE_SECONDS = 2;
/** Share of dropped frames since the last look at which the scale is lowered: a second that drops more is not real time. */
const MOST_DROPPED = 0.1;
/** A lower scale has to leave at most this share of the drops. */
const WORTH = 0.8;

/**
 * Preview scale during a run that differs from its prediction: lowered by one position at a time while frames are dropped,
 * and put back for the rest of the run where a lower scale drops nearly as many.
 */
export class RunScale {
  private before: { readonly scale: PreviewScale; readonly dropShare: number } | undefined;
  private isSettled = false;

  constructor(private scale: PreviewScale) {}

  /** @param dropShare of the frames since the last look @returns the scale from now on */
  next(dropShare: number): PreviewScale {
    const { before } = this;
    if (this.isSettled) return this.scale;
    if (before && dropShare > WORTH * before.dropShare) {
      this.isSettled = true;
      return (this.scale = before.scale);
    }
    const lower = PREVIEW_SCALES.find((each) => each > this.scale);
    if (dropShare <= MOST_DROPPED || lower === undefined) {
      this.before = undefined;
      return this.scale;
    }
    this.before = { scale: this.scale, dropShare };
    return (this.scale = lower);
  }
}
