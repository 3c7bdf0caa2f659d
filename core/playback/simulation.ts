import { FrameLog } from './frame-log.js';
import { TURN_BYTES, type LinePassage, type PlaybackLine } from './line.js';
import {
  frameAtPlayhead,
  IN_FLIGHT,
  isTooLate,
  OPEN_AHEAD_SECONDS,
  PREROLL_FRAMES,
  PREROLL_LIMIT_MS,
  REFILL_AT,
  RESYNC_BEHIND_SECONDS,
} from './pacing.js';
import { randomOf } from './random.js';
import { SharedMachine } from './shared-machine.js';
import { frameBudgetMs } from './stage.js';

/** A drive that is asked for less than this share of its time is not followed picture by picture. */
const QUICK_READ = 0.25;

export interface SimulationOptions {
  /** Coefficient of variation of each service time; 0 when absent. */
  readonly spread?: number;
  /** Of the random numbers; needed only with a spread. */
  readonly seed?: number;
}

export interface SimulatedRun {
  /** As the player itself would log it. */
  readonly log: FrameLog;
  /** Mean share of all cores in use while it played, 0 to 1. */
  readonly coreUse: number;
  /** Frames for which decoding was late, by source. */
  readonly startedMs: number;
}

/**
 * Plays a line without playing it: readers, decoders, workers, the engine and the screen as the player has them, with
 * its queues, its rules of pacing and its way of handing out room, on cores and drives that they share.
 *
 * The same line, spread and seed give the same log.
 * @throws RangeError when the line has no frames
 */
export function simulate(line: PlaybackLine, options: SimulationOptions = {}): SimulatedRun {
  if (line.to <= line.from) throw new RangeError('There is no frame to play.');
  return new Simulation(line, options).run();
}

/** A clip that is being decoded. */
interface Stream {
  readonly passage: LinePassage;
  readonly station: number;
  readonly worker: number;
  readonly limitMs: number;
  /** The next frame that it delivers. */
  next: number;
  /** Pictures to take out of the decoder until that frame's has come. */
  needed: number;
  /** Pictures that are decoded while the worker, who would take them, is at something else. */
  inside: number;
  /** Pictures that came out and wait. */
  out: number;
  /** When the last one came out, and when its decoder had last been idle. */
  lastOut: number;
  busyFrom: number;
  /** Pictures that were read and wait to be decoded. */
  read: number;
  resting: boolean;
  openAt: number;
  /** When the decoder began to wait for the drive; NaN while it does not. */
  dryFrom: number;
  slots: number;
  making: boolean;
  madeFrom: number;
  closed: boolean;
  ended: boolean;
  decodeMs: number;
  readMs: number;
  decoded: number;
}

class Simulation {
  private readonly cpu: SharedMachine;
  private readonly drives: readonly SharedMachine[];
  private readonly log: FrameLog;
  private readonly budgetMs: number;
  private readonly framesPerSecond: number;
  private readonly frames: number;
  private readonly wanted: Uint8Array;
  private readonly ready: Uint8Array;
  private readonly held: Uint8Array;
  private readonly streams: Stream[] = [];
  private readonly byStation = new Map<number, Stream>();
  private readonly queues: Stream[][];
  private readonly firstDecoder: number;
  private readonly engine: number;
  private readonly presenter: number;
  private readonly freeStations: number[] = [];
  private free: number;
  private nextPassage = 0;
  private nextWorker = 0;
  private startedAt = NaN;
  private firstReadyAt = NaN;
  private shownFrame: number;
  private drawing = -1;
  private released: number;
  private settled: number;
  private readyUntil = 0;
  private mostWanted = 1;
  private wakeAt = 0;
  private presentDebt = 0;
  private random: () => number;
  private now = 0;

  constructor(
    private readonly line: PlaybackLine,
    private readonly options: SimulationOptions,
  ) {
    const { from, to, passages, decodeWorkers, drives } = line;
    this.frames = to - from;
    this.budgetMs = frameBudgetMs(line.rate);
    this.framesPerSecond = 1000 / this.budgetMs;
    this.log = FrameLog.empty(from, this.frames);
    this.wanted = new Uint8Array(this.frames);
    this.ready = new Uint8Array(this.frames);
    this.held = new Uint8Array(this.frames);
    for (const passage of passages)
      for (let frame = Math.max(from, passage.from); frame < Math.min(to, passage.to); frame++)
        this.mostWanted = Math.max(this.mostWanted, ++this.wanted[frame - from]!);
    this.engine = 0;
    this.presenter = 1;
    this.firstDecoder = 2 + decodeWorkers;
    const stations = this.firstDecoder + passages.length;
    this.cpu = new SharedMachine(Math.max(0.2, line.cores - line.coresOfOthers), stations);
    this.drives = drives.map(() => new SharedMachine(1, passages.length));
    for (let at = passages.length - 1; at >= 0; at--) this.freeStations.push(at);
    this.queues = Array.from({ length: decodeWorkers }, () => []);
    this.free = line.slots;
    this.shownFrame = from - 1;
    this.released = from;
    this.settled = from;
    this.random = randomOf(options.seed ?? 1);
    while (this.nextPassage < passages.length && passages[this.nextPassage]!.to <= from) this.nextPassage++;
  }

  run(): SimulatedRun {
    this.wakeAt = this.line.startMs;
    const lastMs = this.line.startMs + 60_000 + (this.frames + 10) * this.budgetMs;
    let startUse = 0;
    let wasStarted = false;
    while (this.settled < this.line.to && this.now < lastMs) {
      this.step();
      if (!wasStarted && !Number.isNaN(this.startedAt)) {
        wasStarted = true;
        startUse = this.cpu.usedMs;
      }
    }
    const playedMs = this.now - this.startedAt;
    const coreUse = playedMs > 0 ? (this.cpu.usedMs - startUse) / playedMs / this.line.cores : 0;
    return { log: this.log, coreUse, startedMs: this.startedAt };
  }

  // One thing happens: something is read, something on the cores ends, or the engine wakes.
  private step(): void {
    let reader: SharedMachine | undefined;
    let readAt = Infinity;
    for (const drive of this.drives) {
      const at = drive.nextEnd;
      if (at < readAt) {
        readAt = at;
        reader = drive;
      }
    }
    const cpuAt = this.cpu.nextEnd;
    const at = Math.min(readAt, cpuAt, this.wakeAt);
    if (at === Infinity) throw new RangeError('The simulation has come to a standstill.');
    this.now = Math.max(this.now, at);
    this.cpu.advance(this.now);
    for (const drive of this.drives) drive.advance(this.now);
    if (reader && readAt <= cpuAt && readAt <= this.wakeAt) {
      const { station } = reader.finish();
      const stream = this.byStation.get(station);
      if (stream) this.hasRead(stream);
    } else if (cpuAt <= this.wakeAt) {
      const { station, tookMs } = this.cpu.finish();
      this.ended(station, tookMs);
    } else {
      this.wakeAt = Infinity;
      this.tick();
    }
  }

  private ended(station: number, tookMs: number): void {
    if (station === this.engine) this.hasDrawn(tookMs);
    else if (station === this.presenter) this.hasPresented();
    else if (station < this.firstDecoder) this.hasMade(station - 2, tookMs);
    else {
      const stream = this.byStation.get(station - this.firstDecoder);
      if (stream) this.hasDecoded(stream);
    }
  }

  private get playhead(): number {
    const { from } = this.line;
    return Number.isNaN(this.startedAt) ? from : from + (this.now - this.startedAt) / this.budgetMs;
  }

  private service(ms: number): number {
    const { spread } = this.options;
    if (!spread || ms <= 0) return ms;
    // Log-normal, with the mean that it has without a spread.
    const variance = Math.log(1 + spread * spread);
    const normal = Math.sqrt(-2 * Math.log(1 - this.random())) * Math.cos(2 * Math.PI * this.random());
    return ms * Math.exp(Math.sqrt(variance) * normal - variance / 2);
  }

  /* Engine */

  private tick(): void {
    if (this.cpu.isBusy(this.engine)) return;
    if (Number.isNaN(this.startedAt)) {
      this.openAhead(this.line.from);
      if (!this.hasStarted()) {
        this.wakeAt = Math.min(this.wakeAt, this.now + 10);
        return;
      }
      this.startedAt = this.now;
    }
    const { playhead } = this;
    const frame = frameAtPlayhead(playhead);
    if (frame >= this.line.to) {
      this.settleUntil(this.line.to);
      return;
    }
    this.settleUntil(frame);
    const isReady = this.isReady(frame);
    if (frame !== this.shownFrame && isReady) {
      this.drawing = frame;
      this.shownFrame = frame;
      const ms = this.service(this.line.composeMs[frame - this.line.from]! + this.line.showMs);
      this.cpu.begin(this.engine, ms, 1);
      return;
    }
    this.passed(this.shownFrame === frame ? frame + 1 : frame);
    this.openAhead(playhead);
    const due = this.startedAt + (frame + 1 - this.line.from) * this.budgetMs;
    this.wakeAt = Math.min(this.wakeAt, Math.max(this.now + 0.01, due));
  }

  private hasStarted(): boolean {
    const { from, to } = this.line;
    const end = Math.min(to, from + PREROLL_FRAMES + 1);
    let until = from;
    while (until < end && this.isReady(until)) until++;
    if (until > from && Number.isNaN(this.firstReadyAt)) this.firstReadyAt = this.now;
    return until >= end || this.now - this.firstReadyAt > PREROLL_LIMIT_MS;
  }

  private isReady(frame: number): boolean {
    const at = frame - this.line.from;
    return this.ready[at]! >= this.wanted[at]!;
  }

  private hasDrawn(tookMs: number): void {
    const frame = this.drawing;
    this.drawing = -1;
    const compose = this.line.composeMs[frame - this.line.from]!;
    const whole = compose + this.line.showMs;
    const part = whole > 0 ? compose / whole : 0;
    this.settleUntil(frame);
    this.settle(frame);
    this.log.set(frame, 'shown', this.now);
    this.log.set(frame, 'compose', tookMs * part);
    this.log.set(frame, 'show', tookMs * (1 - part));
    this.settled = Math.max(this.settled, frame + 1);
    this.passed(frame + 1);
    this.present();
    this.tick();
  }

  // The browser takes one picture after the other; what it has not begun when the next comes, it leaves out.
  private present(): void {
    if (this.line.presentMs <= 0) return;
    if (this.cpu.isBusy(this.presenter)) this.presentDebt = 1;
    else this.cpu.begin(this.presenter, this.service(this.line.presentMs), 1);
  }

  private hasPresented(): void {
    if (this.presentDebt === 0) return;
    this.presentDebt = 0;
    this.cpu.begin(this.presenter, this.service(this.line.presentMs), 1);
  }

  private settleUntil(frame: number): void {
    for (; this.settled < Math.min(frame, this.line.to); this.settled++)
      if (this.settled !== this.drawing) this.settle(this.settled);
      else return;
  }

  private settle(frame: number): void {
    this.log.set(frame, 'due', this.startedAt + (frame - this.line.from) * this.budgetMs);
    this.log.set(frame, 'waiting', this.waitingAfter(frame));
    this.log.set(frame, 'settled', 1);
  }

  private waitingAfter(frame: number): number {
    const { to, slots } = this.line;
    // What is ready stays ready, so that it is never looked through again.
    this.readyUntil = Math.max(this.readyUntil, frame + 1);
    while (this.readyUntil < to && this.isReady(this.readyUntil)) this.readyUntil++;
    return Math.min(slots, this.readyUntil - frame - 1);
  }

  private passed(frame: number): void {
    for (let at = this.streams.length - 1; at >= 0; at--)
      if (this.streams[at]!.passage.to <= frame) this.close(this.streams[at]!);
    const end = Math.min(frame, this.line.to);
    for (; this.released < end; this.released++) {
      this.free += this.held[this.released - this.line.from]!;
      this.held[this.released - this.line.from] = 0;
    }
    this.pump();
  }

  private openAhead(playhead: number): void {
    const { passages, to } = this.line;
    const horizon = playhead + OPEN_AHEAD_SECONDS * this.framesPerSecond;
    for (; this.nextPassage < passages.length; this.nextPassage++) {
      const passage = passages[this.nextPassage]!;
      if (passage.from > horizon || passage.from >= to) break;
      const from = Math.max(passage.from, Math.ceil(playhead - 1e-9));
      if (from < passage.to) this.open(passage, from);
    }
    this.pump();
  }

  /* Streams */

  private open(passage: LinePassage, from: number): void {
    const station = this.freeStations.pop()!;
    const drive = this.line.drives[passage.drive];
    const msPerPicture = drive ? (1000 * passage.bytesPerPicture) / drive.bytesPerSecond : 0;
    const stream: Stream = {
      passage,
      station,
      worker: this.nextWorker++ % this.line.decodeWorkers,
      limitMs: this.isWaitedFor(passage, msPerPicture) ? msPerPicture : 0,
      next: from,
      needed: passage.coldDecodes[from - passage.from]!,
      inside: 0,
      out: 0,
      lastOut: this.now,
      busyFrom: this.now,
      read: 0,
      resting: false,
      openAt: this.now + this.line.openMs + (drive?.latencyMs ?? 0),
      dryFrom: NaN,
      slots: 0,
      making: false,
      madeFrom: 0,
      closed: false,
      ended: false,
      decodeMs: 0,
      readMs: 0,
      decoded: 0,
    };
    this.streams.push(stream);
    this.byStation.set(station, stream);
    this.fill(stream);
    this.feed(stream);
  }

  private isWaitedFor({ decodes, decodeMs }: LinePassage, msPerPicture: number): boolean {
    const each = Math.max(1, decodes[decodes.length >> 1] ?? 1);
    const share = (msPerPicture * each * this.mostWanted) / this.budgetMs;
    return share > QUICK_READ || msPerPicture > decodeMs / 2;
  }

  private close(stream: Stream): void {
    stream.closed = true;
    this.streams.splice(this.streams.indexOf(stream), 1);
    this.cpu.drop(this.firstDecoder + stream.station);
    for (const drive of this.drives) drive.drop(stream.station);
    // A reduction under way still writes to its slot.
    if (!stream.making) this.leave(stream);
  }

  private leave(stream: Stream): void {
    this.free += stream.slots;
    stream.slots = 0;
    this.byStation.delete(stream.station);
    this.freeStations.push(stream.station);
  }

  // Room goes to whoever needs it for the earliest frame.
  private pump(): void {
    while (this.free > 0) {
      let neediest: Stream | undefined;
      let lowest = Infinity;
      for (const stream of this.streams) {
        const reach = stream.next + stream.slots;
        if (reach < stream.passage.to && reach < lowest) {
          neediest = stream;
          lowest = reach;
        }
      }
      if (!neediest) return;
      this.free--;
      neediest.slots++;
      if (neediest.slots === 1) this.deliver(neediest);
    }
  }

  private fill(stream: Stream): void {
    const { passage, limitMs, station } = stream;
    const drive = this.drives[passage.drive];
    if (limitMs === 0 || !drive || stream.closed || drive.isBusy(station)) return;
    const most = Math.max(
      IN_FLIGHT,
      Math.floor(this.line.readAheadBytes / Math.max(1, passage.bytesPerPicture)),
    );
    if (stream.read >= most) return;
    const { seekMs } = this.line.drives[passage.drive]!;
    const readers = this.streams.reduce((sum, each) => sum + Number(each.limitMs > 0), 0);
    const seeks = readers > 1 ? (seekMs * passage.bytesPerPicture) / TURN_BYTES : 0;
    const wait = Math.max(0, stream.openAt - this.now);
    drive.begin(station, this.service(limitMs + seeks) + wait, 1);
  }

  private hasRead(stream: Stream): void {
    stream.read++;
    this.fill(stream);
    this.feed(stream);
  }

  private feed(stream: Stream): void {
    const station = this.firstDecoder + stream.station;
    if (stream.closed || this.cpu.isBusy(station)) return;
    const inFlight = stream.out + stream.inside;
    if (inFlight >= IN_FLIGHT) stream.resting = true;
    if (stream.resting && inFlight > REFILL_AT) return;
    if (stream.resting) stream.busyFrom = this.now;
    stream.resting = false;
    const { passage } = stream;
    if (stream.limitMs > 0) {
      if (stream.read === 0) {
        if (Number.isNaN(stream.dryFrom)) stream.dryFrom = this.now;
        return;
      }
      if (!Number.isNaN(stream.dryFrom)) {
        stream.readMs += this.now - stream.dryFrom;
        stream.busyFrom = this.now;
      }
      stream.dryFrom = NaN;
      stream.read--;
      this.fill(stream);
    }
    const wait = stream.limitMs > 0 ? 0 : Math.max(0, stream.openAt - this.now);
    this.cpu.begin(station, this.service(passage.decodeMs) + wait, passage.decodeCores);
  }

  private hasDecoded(stream: Stream): void {
    stream.inside++;
    this.feed(stream);
    if (!this.cpu.isBusy(2 + stream.worker)) this.take(stream);
  }

  // What came out is noted, and charged with the time since the one before, as the player's clock sees it.
  private take(stream: Stream): void {
    if (stream.inside === 0 || stream.closed) return;
    stream.out += stream.inside;
    stream.inside = 0;
    stream.decodeMs += this.now - Math.max(stream.lastOut, stream.busyFrom);
    stream.lastOut = this.now;
    this.deliver(stream);
  }

  /** Goes on with a stream as far as it can go now. */
  private deliver(stream: Stream): void {
    const { passage } = stream;
    const { to } = this.line;
    while (!stream.closed && !stream.making && stream.next < Math.min(passage.to, to)) {
      if (stream.needed === 0) {
        if (isTooLate(stream.next, this.playhead)) {
          this.skipTo(stream, stream.next + 1);
          continue;
        }
        if (stream.slots === 0) return;
        stream.slots--;
        stream.making = true;
        stream.madeFrom = this.now;
        const queue = this.queues[stream.worker]!;
        queue.push(stream);
        if (queue.length === 1 && !this.cpu.isBusy(2 + stream.worker)) this.make(stream);
        return;
      }
      if (this.resynced(stream)) continue;
      if (stream.out === 0) return;
      stream.out--;
      stream.needed--;
      stream.decoded++;
      this.feed(stream);
    }
  }

  /** Rule 3 of pacing. */
  private resynced(stream: Stream): boolean {
    const { playhead } = this;
    if (playhead - stream.next <= RESYNC_BEHIND_SECONDS * this.framesPerSecond) return false;
    const target = firstAbove(stream.passage.entries, Math.max(playhead, stream.next));
    if (target === undefined || target >= stream.passage.to) return false;
    this.skipTo(stream, target);
    stream.needed = 1;
    stream.out = 0;
    stream.inside = 0;
    stream.lastOut = this.now;
    stream.read = 0;
    stream.resting = false;
    this.cpu.drop(this.firstDecoder + stream.station);
    for (const drive of this.drives) drive.drop(stream.station);
    this.fill(stream);
    this.feed(stream);
    return true;
  }

  private skipTo(stream: Stream, frame: number): void {
    this.charge(stream, stream.next);
    this.goOn(stream, frame);
  }

  private goOn(stream: Stream, frame: number): void {
    stream.next = frame;
    if (frame < stream.passage.to) stream.needed = stream.passage.decodes[frame - stream.passage.from]!;
  }

  private make(stream: Stream): void {
    const { scaleMs, effectsMs } = stream.passage;
    this.cpu.begin(2 + stream.worker, this.service(scaleMs + effectsMs), 1);
  }

  private hasMade(worker: number, tookMs: number): void {
    const queue = this.queues[worker]!;
    const stream = queue.shift()!;
    stream.making = false;
    const { scaleMs, effectsMs } = stream.passage;
    const whole = scaleMs + effectsMs;
    const effects = whole > 0 ? (tookMs * effectsMs) / whole : 0;
    for (const each of this.streams) if (each.worker === worker && each !== stream) this.take(each);
    if (queue[0] && !this.cpu.isBusy(2 + worker)) this.make(queue[0]);
    if (stream.closed) {
      stream.slots++;
      this.leave(stream);
      this.pump();
      return;
    }
    this.log.add(stream.next, 'effects', effects);
    this.log.add(stream.next, 'scale', this.now - stream.madeFrom - effects);
    this.charge(stream, stream.next);
    this.store(stream);
    if (stream.inside > 0) this.take(stream);
    else this.deliver(stream);
    if (!this.cpu.isBusy(this.engine)) this.tick();
  }

  // The picture is that of its frame and of those after it that show it again.
  private store(stream: Stream): void {
    const { from, to } = this.line;
    let last = stream.next;
    const end = Math.min(stream.passage.to, to);
    this.ready[last - from]!++;
    while (last + 1 < end && stream.passage.decodes[last + 1 - stream.passage.from] === 0) {
      last++;
      this.ready[last - from]!++;
    }
    if (last < this.released) this.free++;
    else this.held[last - from]!++;
    this.goOn(stream, last + 1);
    this.pump();
  }

  private charge(stream: Stream, frame: number): void {
    this.log.add(frame, 'decode', stream.decodeMs);
    this.log.add(frame, 'read', stream.readMs);
    this.log.add(frame, 'decoded', stream.decoded);
    stream.decodeMs = 0;
    stream.readMs = 0;
    stream.decoded = 0;
  }
}

/** The first number of an ascending list that is above another one. */
function firstAbove(list: Int32Array, value: number): number | undefined {
  let low = 0;
  let high = list.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (list[middle]! > value) high = middle;
    else low = middle + 1;
  }
  return list[low];
}
