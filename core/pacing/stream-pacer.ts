import { FrameTimeEstimator } from './frame-time-estimator.js';
import { NonReferenceSkipping } from './non-reference-skipping.js';
import { ResyncPolicy, type ResyncTarget } from './resync-policy.js';
import { isTooLate } from './rules.js';

/**
 * State of the next frame of a stream: `none`, no picture decoded yet; `decoded`, without a preview picture; `made`,
 * with its preview picture; `skipped`, not decoded by rule 5.
 */
export type Answer = 'none' | 'decoded' | 'made' | 'skipped';

/**
 * Next action of a stream: takes a picture out of its decoder, continues at a key frame, skips the frame, waits for a
 * buffer, makes the preview picture, or shows the one before again.
 */
export type StreamAction = 'decode' | 'resync' | 'skip' | 'await buffer' | 'make' | 'repeat';

/**
 * A stream that would not catch up is given up this long before its end, seconds. Earlier its pace may still change: it
 * may be slow only while another clip is decoded beside it.
 */
const GIVE_UP_SECONDS = 1;

/**
 * The decisions of one stream: rules 2, 3 and 5 of pacing as one state machine. It has no clock; times are counted in
 * frames of the timeline.
 */
export class StreamPacer {
  private frameTimes = new FrameTimeEstimator();
  private resyncPolicy: ResyncPolicy;
  private skipping: NonReferenceSkipping | undefined;
  private target: ResyncTarget | undefined;
  private targetAt = NaN;

  /**
   * @param isLive whether frames have due times; at rest, each is made however long that takes
   * @param canSkip whether pictures that no other refers to may be left out
   */
  constructor(
    private readonly framesPerSecond: number,
    private readonly isLive: boolean,
    private readonly canSkip: boolean,
  ) {
    this.resyncPolicy = new ResyncPolicy(framesPerSecond);
    if (canSkip) this.skipping = new NonReferenceSkipping();
  }

  /** Next action for a frame, at a playhead. */
  next(frame: number, answer: Answer, hasBuffer: boolean, playhead: number): StreamAction {
    if (answer === 'skipped') return 'skip';
    if (answer === 'none') return this.needsResync(frame, playhead) ? 'resync' : 'decode';
    if (answer === 'made')
      return this.isLive && isTooLate(frame, playhead) ? this.miss(frame, playhead) : 'repeat';
    if (this.isLive && this.frameTimes.willMissDeadline(frame, playhead)) return this.miss(frame, playhead);
    if (!hasBuffer) return 'await buffer';
    this.resyncPolicy.onFrameInTime();
    return 'make';
  }

  /** Target of a resync that shows a picture sooner, after `resync`. */
  get resyncTarget(): ResyncTarget | undefined {
    return this.target;
  }

  /**
   * Frame at which the stream continues after `resync`. Near its end, a stream that would not catch up jumps to the
   * end: its pictures would be late, and other streams need the cores. Of a crossfade, this skips the outgoing clip.
   * @param entry frame from which on there is a picture; undefined where there is none ahead
   * @param end behind the last frame of the stream
   * @returns undefined to continue decoding
   */
  resyncAt(entry: number | undefined, end: number): number | undefined {
    const { target, targetAt } = this;
    if (!target) return undefined;
    const isBetter = entry !== undefined && entry < Math.min(target.before, end);
    const isHopeless = target.before >= end && end - targetAt <= GIVE_UP_SECONDS * this.framesPerSecond;
    if (!isBetter && !isHopeless) return undefined;
    this.resyncPolicy.onResync(targetAt);
    return isBetter ? entry : end;
  }

  /** A picture was taken out of the decoder. @param frames that it worked for it @param size in the unit of `isSkippable` */
  onDecoded(frames: number, size: number, playhead: number): void {
    this.resyncPolicy.onFrameDecoded(this.readyAt(playhead));
    this.skipping?.observe(frames, size);
  }

  /** A preview picture was made. @param frames that it took, from when it could be begun */
  onMade(frames: number): void {
    this.frameTimes.observe(frames);
  }

  /**
   * Whether a picture that no other refers to is left out, since it would come too late.
   * @param size of it, and of all that the decoder has to do before
   */
  isSkippable(frame: number, playhead: number, size: number): boolean {
    return this.isLive && this.skipping?.isLate(frame, playhead, size, this.frameTimes.expected) === true;
  }

  /** A copy, for a simulation that continues from here. */
  copy(): StreamPacer {
    const copy = new StreamPacer(this.framesPerSecond, this.isLive, this.canSkip);
    copy.frameTimes = this.frameTimes.copy();
    copy.resyncPolicy = this.resyncPolicy.copy();
    copy.skipping = this.skipping?.copy();
    return copy;
  }

  /** State key: two pacers with equal keys decide alike from this playhead on. */
  stateKey(playhead: number): string {
    const keys = [this.resyncPolicy.stateKey(playhead), this.frameTimes.stateKey()];
    if (this.skipping) keys.push(this.skipping.stateKey());
    return keys.join();
  }

  private needsResync(frame: number, playhead: number): boolean {
    if (!this.isLive) return false;
    this.targetAt = this.readyAt(playhead);
    this.target = this.resyncPolicy.targetFor(frame, this.targetAt);
    return this.target !== undefined;
  }

  private miss(frame: number, playhead: number): 'skip' {
    this.resyncPolicy.onFrameMissed(frame, this.readyAt(playhead));
    return 'skip';
  }

  /** Where the playhead will be when a picture is ready that is begun now. */
  private readyAt(playhead: number): number {
    return playhead + this.frameTimes.expected;
  }
}
