import { neediestStream, PrefetchPolicy, type Answer, type StreamAction } from '../pacing/index.js';
import { FIRST_WORKER, type SimulationContext } from './simulation-context.js';
import { entryFor, mostRead, openStream, turnMs, type Stream } from './simulated-stream.js';

/** Streams at a time without running jobs. */
export interface StreamsState {
  readonly streams: readonly Stream[];
  readonly freeJobs: readonly number[];
  readonly nextSegment: number;
  readonly nextWorker: number;
  readonly prefetch: PrefetchPolicy;
}

/** The clips that are being decoded: readers, decoders, workers, and their buffers. */
export class SimulatedStreams {
  private readonly streams: Stream[] = [];
  private readonly byJob: (Stream | undefined)[];
  private jobs = 0;
  private readonly ofWorker: Stream[][];
  private readonly freeJobs: number[] = [];
  private readonly queues: Stream[][];
  private readonly firstDecoder: number;
  /** Pictures that wait for a worker, by worker. */
  private readonly insideOf: number[];
  private passedUntil = -Infinity;
  /** End of the stream that ends first. */
  private firstEnd = Infinity;
  private nextSegment = 0;
  private prefetch: PrefetchPolicy;
  private nextWorker = 0;
  /** Streams whose reads are simulated one by one. */
  private readers = 0;

  /** @param changed a picture became ready */
  constructor(
    private readonly context: SimulationContext,
    private readonly changed: () => void,
  ) {
    const { segments, decodeWorkers, from } = context.workload;
    this.prefetch = new PrefetchPolicy(context.framesPerSecond, decodeWorkers);
    this.firstDecoder = FIRST_WORKER + decodeWorkers;
    for (let at = segments.length - 1; at >= 0; at--) this.freeJobs.push(at);
    this.byJob = segments.map(() => undefined);
    this.ofWorker = Array.from({ length: decodeWorkers }, () => []);
    this.queues = Array.from({ length: decodeWorkers }, () => []);
    this.insideOf = this.queues.map(() => 0);
    while (this.nextSegment < segments.length && segments[this.nextSegment]!.to <= from) this.nextSegment++;
  }

  /** Whether no job runs, and every decoder rests on a full queue. */
  get isIdle(): boolean {
    const isIdle = ({ isMaking: making, inside }: Stream): boolean => !making && inside === 0;
    return this.jobs === this.streams.length && this.streams.every(isIdle);
  }

  /** Whether the reads of any stream are simulated. */
  get areReading(): boolean {
    return this.readers > 0;
  }

  /** End of the frames that have a picture or a cost. */
  get reach(): number {
    return this.streams.reduce((most, { next }) => Math.max(most, next + 1), 0);
  }

  snapshot(): StreamsState {
    const { nextSegment, nextWorker } = this;
    const streams = this.streams.map((stream) => stream.copyFor(stream.segment));
    const prefetch = this.prefetch.copy();
    return { streams, freeJobs: [...this.freeJobs], nextSegment, nextWorker, prefetch };
  }

  /** Continues from a snapshot taken while no job ran; its segments are those of this workload. */
  restore(state: StreamsState): void {
    const { segments } = this.context.workload;
    this.nextSegment = state.nextSegment;
    this.nextWorker = state.nextWorker;
    this.prefetch = state.prefetch.copy();
    this.freeJobs.splice(0, Infinity, ...state.freeJobs);
    for (const stream of state.streams) this.enter(stream.copyFor(segments[stream.at]!));
  }

  /** A job on the cores has ended: a worker or a decoder. */
  ended(job: number): void {
    const { tookMs } = this.context.cpu;
    const stream = this.byJob[job - this.firstDecoder];
    if (job < this.firstDecoder) this.hasMade(job - FIRST_WORKER, tookMs);
    else if (stream) this.hasDecoded(stream, tookMs - stream.waitMs);
  }

  /** A drive has read the next picture of a decoder. */
  readEnded(job: number): void {
    const stream = this.byJob[job]!;
    stream.read++;
    this.fill(stream);
    this.feed(stream);
    // The frame that was waited for may have been skipped.
    if (stream.isSkipped(stream.next)) this.deliver(stream);
  }

  /** Closes the streams that end before a frame, and frees their buffers. */
  passed(frame: number): void {
    if (frame <= this.passedUntil && this.context.free === 0) return;
    this.passedUntil = frame;
    if (this.firstEnd <= frame) {
      for (let at = this.streams.length - 1; at >= 0; at--)
        if (this.streams[at]!.end <= frame) this.close(this.streams[at]!);
      this.firstEnd = this.streams.reduce((first, { end }) => Math.min(first, end), Infinity);
    }
    this.context.release(frame);
    this.pump();
  }

  /** Opens the streams that are due soon. */
  openAhead(playhead: number): void {
    const { segments, to } = this.context.workload;
    for (; this.nextSegment < segments.length; this.nextSegment++) {
      const from = this.prefetch.decide(segments[this.nextSegment]!, playhead, to);
      if (from === 'later' || from === 'wait') break;
      if (typeof from === 'number') this.open(this.nextSegment, from);
    }
    this.pump();
  }

  /** Playhead at which the next stream opens, in frames; Infinity without one. */
  get nextOpening(): number {
    const segment = this.context.workload.segments[this.nextSegment];
    return segment ? this.prefetch.beginsAt(segment) : Infinity;
  }

  private open(at: number, from: number): void {
    const job = this.freeJobs.pop()!;
    const worker = this.nextWorker++ % this.context.workload.decodeWorkers;
    const stream = openStream(this.context, at, from, job, worker);
    this.prefetch.onBegun(String(at), stream.segment);
    this.enter(stream);
    this.fill(stream);
    this.feed(stream);
  }

  private enter(stream: Stream): void {
    this.streams.push(stream);
    this.ofWorker[stream.worker]!.push(stream);
    this.byJob[stream.job] = stream;
    this.context.cpu.setWidth(this.firstDecoder + stream.job, stream.segment.decodeCores);
    this.jobs++;
    if (stream.limitMs > 0) this.readers++;
    this.firstEnd = Math.min(this.firstEnd, stream.end);
  }

  private forgetInside(stream: Stream): void {
    this.insideOf[stream.worker]! -= stream.inside;
    stream.inside = 0;
    stream.insideMs = 0;
  }

  private close(stream: Stream): void {
    stream.closed = true;
    this.prefetch.onReached(String(stream.at));
    this.forgetInside(stream);
    this.streams.splice(this.streams.indexOf(stream), 1);
    const beside = this.ofWorker[stream.worker]!;
    beside.splice(beside.indexOf(stream), 1);
    if (stream.limitMs > 0) this.readers--;
    this.stop(stream);
    // A reduction under way still writes to its slot.
    if (!stream.isMaking) this.leave(stream);
  }

  // Its decoder and its reader leave what they are at.
  private stop(stream: Stream): void {
    this.context.cpu.drop(this.firstDecoder + stream.job);
    const drive = this.context.drives[stream.segment.drive];
    if (stream.limitMs === 0 || !drive) return;
    drive.advance(this.context.now);
    drive.drop(stream.job);
  }

  private leave(stream: Stream): void {
    this.context.free += stream.slots;
    stream.slots = 0;
    this.byJob[stream.job] = undefined;
    this.jobs--;
    this.freeJobs.push(stream.job);
  }

  // A buffer goes to the stream that needs it for the earliest frame; of several, to the one opened first.
  private pump(): void {
    while (this.context.free > 0) {
      const stream = neediestStream(this.streams, ({ reach }) => reach);
      if (!stream) return;
      this.context.free--;
      stream.slots++;
      if (stream.slots === 1) this.deliver(stream);
    }
  }

  private fill(stream: Stream): void {
    const { segment, limitMs, job } = stream;
    const { now, workload } = this.context;
    const drive = this.context.drives[segment.drive];
    if (limitMs === 0 || !drive || stream.closed || stream.next >= stream.end || drive.isBusy(job)) return;
    if (stream.read >= mostRead(workload, segment)) return;
    const ms = limitMs + (this.readers > 1 ? turnMs(workload, segment) : 0);
    drive.advance(now);
    drive.begin(job, this.context.service(ms) + Math.max(0, stream.openAt - now));
  }

  private feed(stream: Stream): void {
    if (stream.rests()) return;
    const job = this.firstDecoder + stream.job;
    if (stream.closed || stream.next >= stream.end || this.context.cpu.isBusy(job)) return;
    stream.resting = false;
    if (stream.limitMs > 0) {
      if (stream.read === 0) {
        if (Number.isNaN(stream.dryFrom)) stream.dryFrom = this.context.now;
        return;
      }
      if (!Number.isNaN(stream.dryFrom)) stream.readMs += this.context.now - stream.dryFrom;
      stream.dryFrom = NaN;
      stream.read--;
      this.fill(stream);
    }
    const wait = stream.limitMs > 0 ? 0 : Math.max(0, stream.openAt - this.context.now);
    stream.waitMs = wait;
    const work = stream.takeWork(this.context.isPlaying ? this.context.playhead : undefined);
    const ms = this.context.work(stream.segment.decodeMs * work + stream.delayMs);
    stream.delayMs = 0;
    this.context.cpu.begin(job, ms + wait);
  }

  private hasDecoded(stream: Stream, tookMs: number): void {
    stream.inside++;
    stream.insideMs += Math.max(0, tookMs);
    this.insideOf[stream.worker]!++;
    this.feed(stream);
    if (!this.context.cpu.isBusy(FIRST_WORKER + stream.worker)) this.take(stream);
  }

  private take(stream: Stream): void {
    if (stream.inside === 0 || stream.closed) return;
    stream.out += stream.inside;
    stream.outMs += stream.insideMs;
    this.forgetInside(stream);
    this.deliver(stream);
  }

  /** Advances a stream as far as it can go now. */
  private deliver(stream: Stream): void {
    const { to } = this.context.workload;
    while (!stream.closed && !stream.isMaking && stream.next < stream.end && stream.next < to) {
      const { next, pacer, answer } = stream;
      if (answer !== 'none') {
        this.prefetch.onReached(String(stream.at));
        stream.onRunDecoded(this.context);
      }
      const action = stream.segment.turned
        ? turningAction(answer, stream.slots > 0)
        : pacer.next(next, answer, stream.slots > 0, this.context.playhead);
      switch (action) {
        case 'skip':
          this.skipTo(stream, next + 1);
          break;
        case 'await buffer':
          return;
        case 'make':
          this.enqueue(stream);
          return;
        case 'resync':
          if (this.hasResynced(stream)) break;
          if (!this.hasTakenOut(stream)) return;
          break;
        default:
          if (!this.hasTakenOut(stream)) return;
      }
    }
  }

  private hasTakenOut(stream: Stream): boolean {
    if (stream.out === 0) return false;
    stream.takeOut(this.context);
    this.feed(stream);
    return true;
  }

  private enqueue(stream: Stream): void {
    stream.slots--;
    stream.isMaking = true;
    stream.madeFrom = this.context.now;
    const queue = this.queues[stream.worker]!;
    queue.push(stream);
    if (queue.length === 1 && !this.context.cpu.isBusy(FIRST_WORKER + stream.worker)) this.make(stream);
  }

  private hasResynced(stream: Stream): boolean {
    const { pacer, segment } = stream;
    const frame = pacer.resyncAt(entryFor(segment, pacer.resyncTarget!), segment.to);
    if (frame === undefined) return false;
    this.skipTo(stream, frame);
    this.forgetInside(stream);
    this.stop(stream);
    if (frame >= segment.to) return true;
    stream.enterAt(frame);
    this.fill(stream);
    this.feed(stream);
    return true;
  }

  private skipTo(stream: Stream, frame: number): void {
    stream.charge(this.context.log, 0, 0);
    stream.goOn(frame);
  }

  private make(stream: Stream): void {
    const { scaleMs, effectsMs } = stream.segment;
    this.context.cpu.begin(FIRST_WORKER + stream.worker, this.context.work(scaleMs + effectsMs));
  }

  private hasMade(worker: number, tookMs: number): void {
    const queue = this.queues[worker]!;
    const stream = queue.shift()!;
    stream.isMaking = false;
    stream.pacer.onMade((this.context.now - stream.madeFrom) / this.context.budgetMs);
    const { scaleMs, effectsMs } = stream.segment;
    const whole = scaleMs + effectsMs;
    const effects = whole > 0 ? (tookMs * effectsMs) / whole : 0;
    if (this.insideOf[worker]! > stream.inside)
      for (const each of this.ofWorker[worker]!) if (each !== stream) this.take(each);
    if (queue[0] && !this.context.cpu.isBusy(FIRST_WORKER + worker)) this.make(queue[0]);
    if (stream.closed) {
      stream.slots++;
      this.leave(stream);
      this.pump();
      return;
    }
    stream.charge(this.context.log, tookMs - effects, effects);
    this.store(stream);
    if (stream.inside > 0) this.take(stream);
    else this.deliver(stream);
    this.changed();
  }

  // The picture is that of its frame and of those after it that show it again.
  private store(stream: Stream): void {
    const next = Math.min(this.context.workload.to, stream.following(stream.next));
    this.context.store(stream.next, next - 1);
    if (stream.isRunOver(next)) {
      this.forgetInside(stream);
      this.stop(stream);
      stream.goOn(stream.beginRun(next, this.context));
      this.fill(stream);
      this.feed(stream);
    } else stream.goOn(next);
    this.pump();
  }
}

/** Backwards, a run that has begun is completed. */
const turningAction = (answer: Answer, hasBuffer: boolean): StreamAction =>
  answer === 'none' ? 'decode' : hasBuffer ? 'make' : 'await buffer';
