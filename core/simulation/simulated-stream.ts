import { bisectRight } from 'd3-array';
import {
  IN_FLIGHT,
  REFILL_AT,
  ReversedRuns,
  StreamPacer,
  type Answer,
  type ResyncTarget,
} from '../pacing/index.js';
import type { FrameLog } from '../playback/index.js';
import {
  decodeWork,
  isMade,
  readMsOf,
  TURN_BYTES,
  type DecodeSegment,
  type Workload,
} from '../cost-model/index.js';
import type { SimulationContext } from './simulation-context.js';

/** Least share of its time for which a drive's reads are simulated one by one. */
const QUICK_READ = 0.25;

/** A clip that is being decoded. One class for all, since a simulation spends most time on its fields. */
export class Stream {
  /** End of the frames that it delivers. */
  readonly end: number;
  /** Next frame that it delivers. */
  next: number;
  /** Pictures left to take out of the decoder for that frame. */
  needed: number;
  /** Pictures decoded while the worker that takes them is busy. */
  inside = 0;
  /** Decoded pictures that wait. */
  out = 0;
  /** Time spent on the pictures in the decoder and on waiting ones, ms, and the part of it that was not decoding. */
  insideMs = 0;
  outMs = 0;
  waitMs = 0;
  /** Frame whose pictures are fed to the decoder, the number left, and the cost of each, in mean pictures. */
  private fedFrame: number;
  private fedLeft: number;
  private fedWork: number;
  /** Cost of a frame's own picture, which is fed last, in mean pictures. */
  private ownWork: number;
  /** Pictures that are read and wait to be decoded. */
  read = 0;
  resting = false;
  /** Additional time of its next picture, ms, after its decoder was opened or moved. */
  delayMs: number;
  openAt: number;
  /** Decode time of the pictures in the decoder, in mean pictures. */
  private works: readonly number[] = [];
  /** End of the reversed run in progress; counts backwards only. */
  private runEnd: number;
  private runs: ReversedRuns | undefined;
  /** Time at which the run began, ms; NaN when it is decoded. */
  private runBegunAt: number;
  /** Frames whose own pictures were skipped, ascending. */
  private skippedFrames: readonly number[] = [];
  /** Time from which the current preview picture could be made, ms. */
  madeFrom = 0;
  /** Time at which the decoder began to wait for the drive, ms; NaN while it does not. */
  dryFrom = NaN;
  slots = 0;
  isMaking = false;
  closed = false;
  decodeMs = 0;
  readMs = 0;
  decoded = 0;

  /**
   * @param at place of its segment in the workload @param limitMs that reading one picture takes; 0 where reading is never
   * waited for @param from its first frame that is wanted
   */
  constructor(
    readonly segment: DecodeSegment,
    readonly at: number,
    readonly job: number,
    readonly worker: number,
    readonly limitMs: number,
    from: number,
    now: number,
    waitMs: number,
    readonly pacer: StreamPacer,
  ) {
    this.end = segment.to;
    this.next = from;
    this.runEnd = from + (segment.turned ?? 0);
    if (segment.turned) this.runs = new ReversedRuns();
    this.runBegunAt = now;
    this.needed = segment.coldDecodes[from - segment.from] ?? 0;
    this.openAt = now + waitMs;
    this.delayMs = segment.firstMs;
    this.fedFrame = from;
    this.fedLeft = this.needed;
    this.fedWork = this.coldWork(from);
    this.ownWork = this.fedWork;
  }

  /** Continues at a key frame. */
  enterAt(frame: number): void {
    this.skippedFrames = [];
    this.works = [];
    this.emptyDecoder();
    this.needed = 1;
    this.fedFrame = frame;
    this.fedLeft = 1;
    this.fedWork = this.coldWork(frame);
    this.ownWork = this.fedWork;
  }

  /**
   * What the next picture takes that is given to the decoder, in mean pictures; behind its end, that of a mean one.
   * @param playhead rule 5 of pacing is kept at it; undefined while it does not move
   */
  takeWork(playhead: number | undefined): number {
    const { bits, unreferenced } = this.segment;
    if (!bits && !unreferenced) return 1;
    for (;;) {
      while (this.fedLeft === 0 && this.fedFrame + 1 < this.end) this.feedFrame(this.fedFrame + 1);
      const isLast = this.fedLeft === 1;
      const work = this.fedLeft === 0 ? 1 : isLast ? this.ownWork : this.fedWork;
      if (!isLast || playhead === undefined || !this.shouldSkip(playhead)) {
        this.fedLeft = Math.max(0, this.fedLeft - 1);
        if (unreferenced) this.works = [...this.works, work];
        return work;
      }
      this.fedLeft = 0;
      this.skippedFrames = [...this.skippedFrames, this.fedFrame];
      if (this.next === this.fedFrame) this.needed--;
    }
  }

  /** State key: two streams with equal keys behave identically from this playhead on. */
  stateKey(playhead: number): string {
    const keys = [this.pacer.stateKey(playhead)];
    if (this.runs) keys.push(String(this.runEnd), String(this.runBegunAt), this.runs.stateKey());
    if (this.segment.unreferenced) keys.push(this.skippedFrames.join(), this.works.join());
    return keys.join();
  }

  /** Whether its decoder is fed no more until its pictures are used. */
  rests(): boolean {
    const inFlight = this.out + this.inside;
    if (inFlight >= IN_FLIGHT) this.resting = true;
    return this.resting && inFlight > REFILL_AT;
  }

  /** Takes a picture out of the decoder. */
  takeOut({ playhead, budgetMs }: SimulationContext): void {
    const ms = this.outMs / this.out;
    this.outMs -= ms;
    this.decodeMs += ms;
    this.out--;
    this.needed--;
    this.decoded++;
    this.pacer.onDecoded(ms / budgetMs, this.works[0] ?? 1, playhead);
    if (this.works.length) this.works = this.works.slice(1);
  }

  /** State of its next frame. */
  get answer(): Answer {
    if (this.needed > 0) return 'none';
    return this.isSkipped(this.next) ? 'skipped' : 'decoded';
  }

  /** First frame without a buffer; undefined where it needs none. */
  get reach(): number | undefined {
    const reach = this.next + this.slots;
    return reach < this.end ? reach : undefined;
  }

  /** Logs the cost of its next frame. */
  charge(log: FrameLog, scaleMs: number, effectsMs: number): void {
    log.addPicture(this.next, this.decodeMs, this.decoded, scaleMs, effectsMs);
    if (this.readMs > 0) log.add(this.next, 'read', this.readMs);
    this.decodeMs = 0;
    this.readMs = 0;
    this.decoded = 0;
  }

  /** Whether a frame's own picture was skipped. */
  isSkipped(frame: number): boolean {
    return this.skippedFrames.length > 0 && this.skippedFrames.includes(frame);
  }

  /** First frame after another one that gets a picture of its own. */
  following(frame: number): number {
    const { segment, end } = this;
    let next = frame + 1;
    while (next < end && !isMade(segment, next - segment.from)) next++;
    return next;
  }

  /** Whether a frame is beyond the reversed run in progress. */
  isRunOver(frame: number): boolean {
    return this.segment.turned !== undefined && frame >= this.runEnd && frame < this.end;
  }

  /** All pictures of a reversed run are decoded. */
  onRunDecoded({ now, budgetMs }: SimulationContext): void {
    if (!this.runs || Number.isNaN(this.runBegunAt)) return;
    this.runs.observe((now - this.runBegunAt) / budgetMs);
    this.runBegunAt = NaN;
  }

  /** Frame at which the next reversed run begins. @param next first frame behind the last run */
  beginRun(next: number, { now, playhead, isPlaying }: SimulationContext): number {
    this.runBegunAt = now;
    return isPlaying && this.runs ? this.runs.begin(next, this.end, playhead) : next;
  }

  /** Next frame that it delivers. */
  goOn(frame: number): void {
    this.next = frame;
    if (frame >= this.end) return;
    if (this.segment.turned) {
      this.goOnBackwards(frame, this.segment.turned);
      return;
    }
    if (this.skippedFrames.length) this.skippedFrames = this.skippedFrames.filter((each) => each >= frame);
    this.needed = this.segment.decodes[frame - this.segment.from]! - Number(this.isSkipped(frame));
  }

  private goOnBackwards(frame: number, turned: number): void {
    if (frame < this.runEnd) {
      this.needed = 0;
      return;
    }
    // The pictures in the decoder are beyond the run that begins now.
    this.runEnd = frame + turned;
    this.emptyDecoder();
    this.needed = this.segment.coldDecodes[frame - this.segment.from] ?? 0;
  }

  /** Empties the decoder, which starts anew elsewhere. */
  private emptyDecoder(): void {
    this.out = 0;
    this.outMs = 0;
    this.read = 0;
    this.resting = false;
    this.delayMs = this.segment.restartMs;
  }

  private feedFrame(frame: number): void {
    const { bits, decodes, from, ownBits, unreferenced } = this.segment;
    this.fedFrame = frame;
    this.fedLeft = decodes[frame - from]!;
    const work = decodeWork(this.segment, this.fedLeft, bits?.[frame - from]);
    const mean = this.fedLeft ? work / this.fedLeft : 1;
    // Pictures fed before a frame's own are its references.
    const isFree = unreferenced?.[frame - from] === 1;
    this.ownWork = isFree ? decodeWork(this.segment, 1, ownBits?.[frame - from]) : mean;
    this.fedWork = this.fedLeft > 1 ? Math.max(0, work - this.ownWork) / (this.fedLeft - 1) : mean;
  }

  private shouldSkip(playhead: number): boolean {
    const { unreferenced, from } = this.segment;
    return (
      unreferenced?.[this.fedFrame - from] === 1 &&
      this.pacer.isSkippable(this.fedFrame, playhead, this.ownWork)
    );
  }

  private coldWork(frame: number): number {
    const { coldBits, coldDecodes, from } = this.segment;
    const pictures = coldDecodes[frame - from] ?? 0;
    return pictures ? decodeWork(this.segment, pictures, coldBits?.[frame - from]) / pictures : 1;
  }

  /** A copy for another segment with other costs from then on, at a time without running jobs. */
  copyFor(segment: DecodeSegment): Stream {
    const { at, job, worker, limitMs } = this;
    const copy = new Stream(segment, at, job, worker, limitMs, this.next, 0, 0, this.pacer.copy());
    copy.skippedFrames = this.skippedFrames;
    copy.works = this.works;
    copy.runEnd = this.runEnd;
    copy.runs = this.runs?.copy();
    copy.runBegunAt = this.runBegunAt;
    copy.needed = this.needed;
    copy.fedFrame = this.fedFrame;
    copy.fedLeft = this.fedLeft;
    copy.fedWork = this.fedWork;
    copy.ownWork = this.ownWork;
    copy.inside = this.inside;
    copy.out = this.out;
    copy.insideMs = this.insideMs;
    copy.outMs = this.outMs;
    copy.read = this.read;
    copy.resting = this.resting;
    copy.delayMs = this.delayMs;
    copy.openAt = this.openAt;
    copy.dryFrom = this.dryFrom;
    copy.slots = this.slots;
    copy.isMaking = this.isMaking;
    copy.decodeMs = this.decodeMs;
    copy.readMs = this.readMs;
    copy.decoded = this.decoded;
    return copy;
  }
}

/**
 * A clip that begins to be decoded.
 * @param at place of its segment in the workload @param from its first frame that is wanted
 * @param job of its decoder and its reader
 */
export function openStream(
  context: SimulationContext,
  at: number,
  from: number,
  job: number,
  worker: number,
): Stream {
  const { workload, now, framesPerSecond } = context;
  const segment = workload.segments[at]!;
  const readMs = readMsOf(workload, segment);
  const limitMs = isWaitedFor(context, segment, readMs) ? readMs : 0;
  const waitMs = segment.openMs + (workload.drives[segment.drive]?.latencyMs ?? 0);
  return new Stream(
    segment,
    at,
    job,
    worker,
    limitMs,
    from,
    now,
    waitMs,
    new StreamPacer(framesPerSecond, true, segment.unreferenced !== undefined),
  );
}

/** Largest read-ahead of a decoder, in pictures. */
export const mostRead = ({ readAheadBytes }: Workload, { bytesPerPicture }: DecodeSegment): number =>
  Math.max(IN_FLIGHT, Math.floor(readAheadBytes / Math.max(1, bytesPerPicture)));

/** Additional time to read a picture while several readers take turns, ms. */
export const turnMs = ({ drives }: Workload, { drive, bytesPerPicture }: DecodeSegment): number =>
  (drives[drive]!.seekMs * bytesPerPicture) / TURN_BYTES;

function isWaitedFor(
  { mostWanted, budgetMs }: SimulationContext,
  { decodes, decodeMs }: DecodeSegment,
  readMs: number,
): boolean {
  // Without what the first one needs, which may be a whole group.
  let later = 0;
  for (let at = 1; at < decodes.length; at++) later += decodes[at]!;
  const each = Math.max(1, later / Math.max(1, decodes.length - 1));
  return (readMs * each * mostWanted) / budgetMs > QUICK_READ || readMs > decodeMs / 2;
}

/** Key frame for a resync, for `ResyncPolicy`; undefined without one so far ahead. */
export function entryFor({ entries }: DecodeSegment, { from, best }: ResyncTarget): number | undefined {
  const beyond = bisectRight(entries, best);
  const within = entries[beyond - 1];
  return within !== undefined && within >= from ? within : entries[beyond];
}
