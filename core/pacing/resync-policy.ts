/** Frames that must have come out too late before a decoder's pace is judged by them. */
const JUDGED_BY = 3;
/** Time without a picture after which a decoder's rate is estimated, seconds. */
const PATIENCE_SECONDS = 0.2;
/** A pace that was seen this long ago still counts when a decoder is late again, seconds. */
const REMEMBERED_SECONDS = 2;

/** Lead of a resync target, as a multiple of the time of a picture. */
const RESERVE = 2;

/** Timeline frames within which a key frame must be for a resync to show a picture sooner. */
export interface ResyncTarget {
  readonly from: number;
  /** Up to here a later key frame is better, since it leaves a reserve; beyond, the first one is. */
  readonly best: number;
  /** Frame by which catching up shows a picture; Infinity for never. */
  readonly before: number;
}

/**
 * Rule 3 of pacing, for one decoder: when it is late, whether it will catch up, or where it must continue so that
 * a picture is seen again soonest. Times are counted in frames of the timeline.
 */
export class ResyncPolicy {
  private lateFrom = NaN;
  private lateAt = NaN;
  private taken = 0;
  /** Frames and pictures decoded per frame time, by the last estimate. */
  private pace = NaN;
  private pictures = NaN;
  private judgedAt = -Infinity;
  /** When it went on elsewhere and has brought nothing since, and how long that took the last time. */
  private resyncedAt = NaN;
  private resyncFrames = 0;

  constructor(private readonly framesPerSecond: number) {}

  /** A picture came out of the decoder. */
  onFrameDecoded(playhead: number): void {
    this.taken++;
    if (Number.isNaN(this.resyncedAt)) return;
    this.resyncFrames = playhead - this.resyncedAt;
    this.resyncedAt = NaN;
  }

  /** Whether frames came too late, and none has come in time since. */
  get isLate(): boolean {
    return !Number.isNaN(this.lateAt);
  }

  /** A picture came in time to be used. */
  onFrameInTime(): void {
    this.lateAt = NaN;
  }

  /** A frame's picture came too late. */
  onFrameMissed(frame: number, playhead: number): void {
    if (!Number.isNaN(this.lateAt)) return;
    this.lateFrom = frame + 1;
    this.lateAt = playhead;
    this.taken = 0;
  }

  /**
   * Asked before each picture.
   * @param next timeline frame that comes out of the decoder next
   * @param playhead may stand between two frames
   * @returns target of a resync; undefined to continue decoding
   */
  targetFor(next: number, playhead: number): ResyncTarget | undefined {
    const behind = playhead - next;
    if (behind >= 1) this.onFrameMissed(next - 1, playhead);
    if (Number.isNaN(this.lateAt)) return undefined;
    const waited = playhead - this.lateAt;
    if (next - this.lateFrom >= JUDGED_BY || waited > PATIENCE_SECONDS * this.framesPerSecond) {
      this.pace = (next - this.lateFrom) / waited;
      this.pictures = Math.max(1, this.taken) / waited;
      this.judgedAt = playhead;
    }
    if (!this.remembers(playhead)) return undefined;
    const needed = Math.max(1 / this.pictures, this.resyncFrames);
    const [from, best] = [playhead + needed, playhead + RESERVE * needed];
    const before = playhead + this.catchingUp(behind);
    return from < before ? { from, best, before } : undefined;
  }

  // Frames by which the next picture will be late, over the frames gained with each picture.
  private catchingUp(behind: number): number {
    const tooLate = behind + 1 / this.pace - 1;
    if (!(tooLate > 0)) return 0;
    return this.pace > 1 ? 1 / this.pace + tooLate / (this.pace - 1) : Infinity;
  }

  /** Continues at a key frame. */
  onResync(playhead: number): void {
    this.lateAt = NaN;
    this.resyncedAt = playhead;
  }

  /** A copy, for a simulation that continues from here. */
  copy(): ResyncPolicy {
    const copy = new ResyncPolicy(this.framesPerSecond);
    copy.lateFrom = this.lateFrom;
    copy.lateAt = this.lateAt;
    copy.taken = this.taken;
    copy.pace = this.pace;
    copy.pictures = this.pictures;
    copy.judgedAt = this.judgedAt;
    copy.resyncedAt = this.resyncedAt;
    copy.resyncFrames = this.resyncFrames;
    return copy;
  }

  /** State key: two policies with equal keys behave identically from this playhead on. */
  stateKey(playhead: number): string {
    return this.remembers(playhead)
      ? [this.pace, this.pictures, this.resyncFrames, this.judgedAt].join()
      : '';
  }

  private remembers(playhead: number): boolean {
    return playhead - this.judgedAt <= REMEMBERED_SECONDS * this.framesPerSecond;
  }
}
