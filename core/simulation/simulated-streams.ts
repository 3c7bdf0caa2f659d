import { neediestStream, prefetchAt, prefetchFrom } from '../pacing/index.js';
import { FIRST_WORKER, type SimulationContext } from './simulation-context.js';
import { entryFor, mostRead, openStream, turnMs, type Stream } from './simulated-stream.js';

/** Clips that are being decoded, at a moment at which nothing is under way. */
export interface StreamsState {
  readonly streams: readonly Stream[];
  readonly freeStations: readonly number[];
  readonly nextPassage: number;
  readonly nextWorker: number;
}

/** The clips that are being decoded: readers, decoders and workers, and the room that they write to. */
export class SimulatedStreams {
  private readonly streams: Stream[] = [];
  private readonly byStation: (Stream | undefined)[];
  private stations = 0;
  private readonly ofWorker: Stream[][];
  private readonly freeStations: number[] = [];
  private readonly queues: Stream[][];
  private readonly firstDecoder: number;
  /** Pictures that wait for a worker to take them, by worker. */
  private readonly insideOf: number[];
  private passedUntil = -Infinity;
  /** Where the first of the streams ends. */
  private firstEnd = Infinity;
  private nextPassage = 0;
  private nextWorker = 0;
  /** Streams whose reading is followed. */
  private readers = 0;

  /** @param changed a picture became ready */
  constructor(
    private readonly floor: SimulationContext,
    private readonly changed: () => void,
  ) {
    const { segments: passages, decodeWorkers, from } = floor.line;
    this.firstDecoder = FIRST_WORKER + decodeWorkers;
    for (let at = passages.length - 1; at >= 0; at--) this.freeStations.push(at);
    this.byStation = passages.map(() => undefined);
    this.ofWorker = Array.from({ length: decodeWorkers }, () => []);
    this.queues = Array.from({ length: decodeWorkers }, () => []);
    this.insideOf = this.queues.map(() => 0);
    while (this.nextPassage < passages.length && passages[this.nextPassage]!.to <= from) this.nextPassage++;
  }

  /** Whether nothing is under way, and every decoder rests on a full queue. */
  get isIdle(): boolean {
    const isIdle = ({ isMaking: making, inside }: Stream): boolean => !making && inside === 0;
    return this.stations === this.streams.length && this.streams.every(isIdle);
  }

  /** Whether anybody's reading is followed. */
  get areReading(): boolean {
    return this.readers > 0;
  }

  /** Behind the last frame that there is a picture or a cost of. */
  get reach(): number {
    return this.streams.reduce((most, { next }) => Math.max(most, next + 1), 0);
  }

  snapshot(): StreamsState {
    const { nextPassage, nextWorker } = this;
    const streams = this.streams.map((stream) => stream.copyFor(stream.passage));
    return { streams, freeStations: [...this.freeStations], nextPassage, nextWorker };
  }

  /** Goes on from what was noted, when nothing was under way; passages that were begun are those of this line. */
  restore(state: StreamsState): void {
    const { segments: passages } = this.floor.line;
    this.nextPassage = state.nextPassage;
    this.nextWorker = state.nextWorker;
    this.freeStations.splice(0, Infinity, ...state.freeStations);
    for (const stream of state.streams) this.enter(stream.copyFor(passages[stream.at]!));
  }

  /** A station on the cores has ended: a worker or a decoder. */
  ended(station: number): void {
    const { tookMs } = this.floor.cpu;
    const stream = this.byStation[station - this.firstDecoder];
    if (station < this.firstDecoder) this.hasMade(station - FIRST_WORKER, tookMs);
    else if (stream) this.hasDecoded(stream, tookMs - stream.waitMs);
  }

  /** A drive has read the next picture of a decoder. */
  readEnded(station: number): void {
    const stream = this.byStation[station]!;
    stream.read++;
    this.fill(stream);
    this.feed(stream);
    // What was waited for may have been left out.
    if (stream.isSkipped(stream.next)) this.deliver(stream);
  }

  /** Closes what ends before a frame, and gives its room to others. */
  passed(frame: number): void {
    if (frame <= this.passedUntil && this.floor.free === 0) return;
    this.passedUntil = frame;
    if (this.firstEnd <= frame) {
      for (let at = this.streams.length - 1; at >= 0; at--)
        if (this.streams[at]!.end <= frame) this.close(this.streams[at]!);
      this.firstEnd = this.streams.reduce((first, { end }) => Math.min(first, end), Infinity);
    }
    this.floor.release(frame);
    this.pump();
  }

  /** Begins to decode what will soon be due. */
  openAhead(playhead: number): void {
    const { segments, to } = this.floor.line;
    for (; this.nextPassage < segments.length; this.nextPassage++) {
      const from = prefetchFrom(segments[this.nextPassage]!, playhead, this.floor.framesPerSecond, to);
      if (from === 'later') break;
      if (from !== 'over') this.open(this.nextPassage, from);
    }
    this.pump();
  }

  /** The playhead at which the next clip begins to be decoded, in frames; Infinity when there is none. */
  get nextOpening(): number {
    const passage = this.floor.line.segments[this.nextPassage];
    return passage ? prefetchAt(passage, this.floor.framesPerSecond) : Infinity;
  }

  private open(at: number, from: number): void {
    const station = this.freeStations.pop()!;
    const worker = this.nextWorker++ % this.floor.line.decodeWorkers;
    const stream = openStream(this.floor, at, from, station, worker);
    this.enter(stream);
    this.fill(stream);
    this.feed(stream);
  }

  private enter(stream: Stream): void {
    this.streams.push(stream);
    this.ofWorker[stream.worker]!.push(stream);
    this.byStation[stream.station] = stream;
    this.floor.cpu.setWidth(this.firstDecoder + stream.station, stream.passage.decodeCores);
    this.stations++;
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
    this.floor.cpu.drop(this.firstDecoder + stream.station);
    const drive = this.floor.drives[stream.passage.drive];
    if (stream.limitMs === 0 || !drive) return;
    drive.advance(this.floor.now);
    drive.drop(stream.station);
  }

  private leave(stream: Stream): void {
    this.floor.free += stream.slots;
    stream.slots = 0;
    this.byStation[stream.station] = undefined;
    this.stations--;
    this.freeStations.push(stream.station);
  }

  // Room goes to whoever needs it for the earliest frame; of several, to who was opened first.
  private pump(): void {
    while (this.floor.free > 0) {
      const stream = neediestStream(this.streams, ({ reach }) => reach);
      if (!stream) return;
      this.floor.free--;
      stream.slots++;
      if (stream.slots === 1) this.deliver(stream);
    }
  }

  private fill(stream: Stream): void {
    const { passage, limitMs, station } = stream;
    const { now, line } = this.floor;
    const drive = this.floor.drives[passage.drive];
    if (limitMs === 0 || !drive || stream.closed || drive.isBusy(station)) return;
    if (stream.read >= mostRead(line, passage)) return;
    const ms = limitMs + (this.readers > 1 ? turnMs(line, passage) : 0);
    drive.advance(now);
    drive.begin(station, this.floor.service(ms) + Math.max(0, stream.openAt - now));
  }

  private feed(stream: Stream): void {
    if (stream.rests()) return;
    const station = this.firstDecoder + stream.station;
    if (stream.closed || this.floor.cpu.isBusy(station)) return;
    stream.resting = false;
    if (stream.limitMs > 0) {
      if (stream.read === 0) {
        if (Number.isNaN(stream.dryFrom)) stream.dryFrom = this.floor.now;
        return;
      }
      if (!Number.isNaN(stream.dryFrom)) stream.readMs += this.floor.now - stream.dryFrom;
      stream.dryFrom = NaN;
      stream.read--;
      this.fill(stream);
    }
    const wait = stream.limitMs > 0 ? 0 : Math.max(0, stream.openAt - this.floor.now);
    stream.waitMs = wait;
    const work = stream.takeWork(this.floor.isPlaying ? this.floor.playhead : undefined);
    const ms = this.floor.work(stream.passage.decodeMs * work + stream.delayMs);
    stream.delayMs = 0;
    this.floor.cpu.begin(station, ms + wait);
  }

  private hasDecoded(stream: Stream, tookMs: number): void {
    stream.inside++;
    stream.insideMs += Math.max(0, tookMs);
    this.insideOf[stream.worker]!++;
    this.feed(stream);
    if (!this.floor.cpu.isBusy(FIRST_WORKER + stream.worker)) this.take(stream);
  }

  private take(stream: Stream): void {
    if (stream.inside === 0 || stream.closed) return;
    stream.out += stream.inside;
    stream.outMs += stream.insideMs;
    this.forgetInside(stream);
    this.deliver(stream);
  }

  /** Goes on with a stream as far as it can go now. */
  private deliver(stream: Stream): void {
    const { to } = this.floor.line;
    while (!stream.closed && !stream.isMaking && stream.next < stream.end && stream.next < to) {
      const { next, pacer } = stream;
      switch (pacer.next(next, stream.answer, stream.slots > 0, this.floor.playhead)) {
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
    stream.takeOut(this.floor);
    this.feed(stream);
    return true;
  }

  private enqueue(stream: Stream): void {
    stream.slots--;
    stream.isMaking = true;
    stream.madeFrom = this.floor.now;
    const queue = this.queues[stream.worker]!;
    queue.push(stream);
    if (queue.length === 1 && !this.floor.cpu.isBusy(FIRST_WORKER + stream.worker)) this.make(stream);
  }

  private hasResynced(stream: Stream): boolean {
    const { pacer, passage } = stream;
    const target = entryFor(passage, pacer.resyncTarget!);
    if (!pacer.resyncsAt(target, passage.to)) return false;
    this.skipTo(stream, target);
    stream.enterAt(target);
    this.forgetInside(stream);
    this.stop(stream);
    this.fill(stream);
    this.feed(stream);
    return true;
  }

  private skipTo(stream: Stream, frame: number): void {
    stream.charge(this.floor.log, 0, 0);
    stream.goOn(frame);
  }

  private make(stream: Stream): void {
    const { scaleMs, effectsMs } = stream.passage;
    this.floor.cpu.begin(FIRST_WORKER + stream.worker, this.floor.work(scaleMs + effectsMs));
  }

  private hasMade(worker: number, tookMs: number): void {
    const queue = this.queues[worker]!;
    const stream = queue.shift()!;
    stream.isMaking = false;
    stream.pacer.onMade((this.floor.now - stream.madeFrom) / this.floor.budgetMs);
    const { scaleMs, effectsMs } = stream.passage;
    const whole = scaleMs + effectsMs;
    const effects = whole > 0 ? (tookMs * effectsMs) / whole : 0;
    if (this.insideOf[worker]! > stream.inside)
      for (const each of this.ofWorker[worker]!) if (each !== stream) this.take(each);
    if (queue[0] && !this.floor.cpu.isBusy(FIRST_WORKER + worker)) this.make(queue[0]);
    if (stream.closed) {
      stream.slots++;
      this.leave(stream);
      this.pump();
      return;
    }
    stream.charge(this.floor.log, tookMs - effects, effects);
    this.store(stream);
    if (stream.inside > 0) this.take(stream);
    else this.deliver(stream);
    this.changed();
  }

  // The picture is that of its frame and of those after it that show it again.
  private store(stream: Stream): void {
    const next = Math.min(this.floor.line.to, stream.following(stream.next));
    this.floor.store(stream.next, next - 1);
    stream.goOn(next);
    this.pump();
  }
}
