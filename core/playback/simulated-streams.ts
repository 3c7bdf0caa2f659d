import { batchAdvanceOf } from './batch-advance.js';
import { OPEN_AHEAD_SECONDS } from './pacing.js';
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
  /** Whether what begins is done without the machine. */
  private isAside = false;

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

  /**
   * The same while nothing is under way. When there are cores for all that this begins at once, nobody waits for anybody but
   * in the queue of a worker: it is done without going from event to event, and nothing happens until the next frame.
   * @param dueAt when the next frame is due, ms @param cores that are taken by others meanwhile
   */
  passedAtRest(frame: number, dueAt: number, cores: number): void {
    this.isAside = true;
    this.passed(frame);
    this.isAside = false;
    const burst = batchAdvanceOf(this.queues);
    const { cpu, now } = this.floor;
    const hasCores = burst !== undefined && burst.cores + cores <= cpu.capacity;
    if (hasCores && now + burst.ms * this.floor.slowest(now, dueAt) < dueAt) this.doAside();
    else for (const [first] of this.queues) if (first) this.make(first);
  }

  private doAside(): void {
    const { floor, queues } = this;
    const { now } = floor;
    this.isAside = true;
    for (let worker = 0; worker < queues.length; worker++) {
      const queue = queues[worker]!;
      floor.goTo(now);
      for (let stream = queue[0]; stream; stream = queue[0]) {
        const ms = floor.work(stream.passage.scaleMs + stream.passage.effectsMs);
        const end = floor.now + ms;
        if (stream.decodedAt < end) this.decodeUntil(stream, end);
        floor.goTo(end);
        floor.cpu.count(ms);
        this.hasMade(worker, ms);
      }
    }
    for (const stream of this.streams) {
      if (stream.decodedAt >= 0) this.decodeUntil(stream, Infinity);
      if (stream.inside > 0) this.take(stream);
    }
    floor.goTo(now);
    this.isAside = false;
  }

  private decodeUntil(stream: Stream, end: number): void {
    while (stream.decodedAt < end) {
      this.floor.goTo(stream.decodedAt);
      stream.decodedAt = NaN;
      this.hasDecoded(stream, stream.decodingMs);
    }
  }

  /** Begins to decode what will soon be due. */
  openAhead(playhead: number): void {
    const { segments: passages, to } = this.floor.line;
    const horizon = playhead + OPEN_AHEAD_SECONDS * this.floor.framesPerSecond;
    for (; this.nextPassage < passages.length; this.nextPassage++) {
      const passage = passages[this.nextPassage]!;
      if (passage.from > horizon || passage.from >= to) break;
      const from = Math.max(passage.from, Math.ceil(playhead - 1e-9));
      if (from < passage.to) this.open(this.nextPassage, from);
    }
    this.pump();
  }

  /** The playhead at which the next clip begins to be decoded, in frames; Infinity when there is none. */
  get nextOpening(): number {
    const passage = this.floor.line.segments[this.nextPassage];
    return passage ? passage.from - OPEN_AHEAD_SECONDS * this.floor.framesPerSecond : Infinity;
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
      let lowest = Infinity;
      for (const { next, slots, end } of this.streams) {
        const reach = next + slots;
        if (reach < end && reach < lowest) lowest = reach;
      }
      if (lowest === Infinity) return;
      for (const stream of this.streams)
        while (this.floor.free > 0 && stream.next + stream.slots === lowest && lowest < stream.end) {
          this.floor.free--;
          stream.slots++;
          if (stream.slots === 1) this.deliver(stream);
        }
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
    if (stream.closed || stream.decodedAt >= 0 || this.floor.cpu.isBusy(station)) return;
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
    if (!this.isAside) {
      this.floor.cpu.begin(station, ms + wait);
      return;
    }
    stream.decodedAt = this.floor.now + ms;
    stream.decodingMs = ms;
    this.floor.cpu.count(ms * stream.passage.decodeCores);
  }

  private hasDecoded(stream: Stream, tookMs: number): void {
    stream.inside++;
    stream.insideMs += Math.max(0, tookMs);
    this.insideOf[stream.worker]!++;
    this.feed(stream);
    if (!this.isAside && !this.floor.cpu.isBusy(FIRST_WORKER + stream.worker)) this.take(stream);
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
      if (stream.needed === 0) {
        const { playhead } = this.floor;
        if (stream.isSkipped(stream.next)) {
          this.skipTo(stream, stream.next + 1);
          continue;
        }
        if (stream.frameTimes.willMissDeadline(stream.next, playhead)) {
          stream.resyncPolicy.onFrameMissed(stream.next, playhead + stream.frameTimes.expected);
          this.skipTo(stream, stream.next + 1);
          continue;
        }
        if (stream.slots === 0) return;
        stream.slots--;
        stream.resyncPolicy.onFrameInTime();
        stream.isMaking = true;
        stream.madeFrom = this.floor.now;
        const queue = this.queues[stream.worker]!;
        queue.push(stream);
        if (queue.length === 1 && !this.floor.cpu.isBusy(FIRST_WORKER + stream.worker)) this.make(stream);
        return;
      }
      if (stream.isLate(this.floor.playhead) && this.resynced(stream)) continue;
      if (stream.out === 0) return;
      stream.takeOut(this.floor);
      this.feed(stream);
    }
  }

  /** Rule 3 of pacing. */
  private resynced(stream: Stream): boolean {
    const playhead = this.floor.playhead + stream.frameTimes.expected;
    const landing = stream.resyncPolicy.targetFor(stream.next, playhead);
    if (!landing) return false;
    const target = entryFor(stream.passage, landing);
    if (target === undefined || target >= Math.min(landing.before, stream.passage.to)) return false;
    stream.resyncPolicy.onResync(playhead);
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
    if (this.isAside) return;
    const { scaleMs, effectsMs } = stream.passage;
    this.floor.cpu.begin(FIRST_WORKER + stream.worker, this.floor.work(scaleMs + effectsMs));
  }

  private hasMade(worker: number, tookMs: number): void {
    const queue = this.queues[worker]!;
    const stream = queue.shift()!;
    stream.isMaking = false;
    stream.frameTimes.observe((this.floor.now - stream.madeFrom) / this.floor.budgetMs);
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
    if (!this.isAside) this.changed();
  }

  // The picture is that of its frame and of those after it that show it again.
  private store(stream: Stream): void {
    const next = Math.min(this.floor.line.to, stream.following(stream.next));
    this.floor.store(stream.next, next - 1);
    stream.goOn(next);
    this.pump();
  }
}
