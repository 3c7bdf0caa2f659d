import { FrameLog, frameBudgetMs } from '../playback/index.js';
import { availableCores, type Workload } from '../cost-model/index.js';
import { normalOf, randomOf } from './random.js';
import { ProcessorSharing } from './processor-sharing.js';
import { CpuSpeedProcess } from './cpu-speed-process.js';

export interface SimulationOptions {
  /** Coefficient of variation of each service time; 0 when absent. */
  readonly spread?: number;
  /** Seed of the random numbers, used only with a spread, or on a machine of varying speed. */
  readonly seed?: number;
}

/** State of a context while no job runs. */
export interface ContextState {
  readonly now: number;
  readonly startedAt: number;
  readonly usedMs: number;
  readonly free: number;
  readonly released: number;
  readonly readyUntil: number;
  /** State of the frames from `released` on. */
  readonly ready: Uint8Array;
  readonly held: Uint8Array;
  readonly rows: Float32Array;
}

/** Jobs on the cores: the engine, presentation, the workers, then the decoders. */
export const ENGINE = 0;
export const PRESENTER = 1;
export const FIRST_WORKER = 2;

/** State shared by engine and streams of a simulation: time, cores, drives, log, and frames with their buffers. */
export class SimulationContext {
  /** ms from the press of play. */
  now = 0;
  /** When the first frame was due; NaN before. */
  startedAt = NaN;
  /** The frame that is due, and what of its time has passed. */
  playhead: number;
  /** Number of free buffers. */
  free: number;
  /** The first frame whose pictures are still held. */
  released: number;
  readonly cpu: ProcessorSharing;
  readonly drives: readonly ProcessorSharing[];
  readonly log: FrameLog;
  readonly budgetMs: number;
  readonly framesPerSecond: number;
  /** Most pictures that a frame is made of. */
  readonly mostWanted: number;
  private readonly wanted: Uint8Array;
  private readonly ready: Uint8Array;
  private readonly held: Uint8Array;
  private readyUntil = 0;
  private usedBase = 0;
  /** Whether the same always takes as long. */
  private readonly isSteady: boolean;
  private readonly random: () => number;
  private readonly speed: CpuSpeedProcess;

  constructor(
    readonly workload: Workload,
    private readonly options: SimulationOptions,
  ) {
    const { from, to, segments: segments, decodeWorkers, drives } = workload;
    const frames = to - from;
    this.budgetMs = frameBudgetMs(workload.rate);
    this.framesPerSecond = 1000 / this.budgetMs;
    this.log = FrameLog.empty(from, frames);
    this.wanted = wantedOf(workload);
    this.mostWanted = this.wanted.reduce(
      (most, each) => (each === NEVER_READY ? most : Math.max(most, each)),
      1,
    );
    this.ready = new Uint8Array(frames);
    this.held = new Uint8Array(frames);
    const jobs = FIRST_WORKER + decodeWorkers + segments.length;
    this.cpu = new ProcessorSharing(availableCores(workload), jobs);
    this.drives = drives.map(() => new ProcessorSharing(1, segments.length));
    this.free = workload.slots;
    this.released = from;
    this.playhead = from;
    this.isSteady = !options.spread && !workload.unsteadiness;
    this.random = randomOf(options.seed ?? 1);
    this.speed = new CpuSpeedProcess(workload.unsteadiness ?? 0, options.seed ?? 1);
  }

  get isPlaying(): boolean {
    return !Number.isNaN(this.startedAt);
  }

  /** It is as late as the cores have come. */
  follow(): void {
    this.goTo(this.cpu.now);
  }

  goTo(now: number): void {
    this.now = now;
    if (this.isPlaying) this.playhead = this.workload.from + (this.now - this.startedAt) / this.budgetMs;
  }

  /** The first frame is due now. */
  start(): void {
    this.startedAt = this.now;
  }

  /** Duration of a job with the current speed of the cores, ms. */
  service(ms: number): number {
    const { spread } = this.options;
    if (!spread || ms <= 0) return ms;
    // Log-normal, with the mean that it has without a spread.
    const variance = Math.log(1 + spread * spread);
    return ms * Math.exp(Math.sqrt(variance) * normalOf(this.random) - variance / 2);
  }

  /** The same of work on the cores, which may be fast or slow at the moment. */
  work(ms: number): number {
    return this.isSteady ? ms : this.service(ms) * this.speed.at(this.now - this.startedAt);
  }

  isReady(frame: number): boolean {
    const at = frame - this.workload.from;
    return this.ready[at]! >= this.wanted[at]!;
  }

  /** Frames behind one that are ready. */
  waitingAfter(frame: number): number {
    const { to, slots } = this.workload;
    // A ready frame stays ready, so each is looked at once.
    this.readyUntil = Math.max(this.readyUntil, frame + 1);
    while (this.readyUntil < to && this.isReady(this.readyUntil)) this.readyUntil++;
    return Math.min(slots, this.readyUntil - frame - 1);
  }

  /** Core-ms that were used from the press of play on. */
  get usedMs(): number {
    return this.usedBase + this.cpu.usedMs;
  }

  /** State of the frames from the first held one up to another one. */
  snapshot(end: number): ContextState {
    const { now, startedAt, usedMs, free, released, readyUntil } = this;
    const first = released - this.workload.from;
    const last = Math.max(first, end - this.workload.from);
    const ready = this.ready.slice(first, last);
    const held = this.held.slice(first, last);
    const rows = this.log.rows(released, Math.max(released, end)).slice();
    return { now, startedAt, usedMs, free, released, readyUntil, ready, held, rows };
  }

  /** Continues from a snapshot, with the log of a run that is equal up to it. */
  restore(state: ContextState, log: FrameLog): void {
    const { from } = this.workload;
    this.startedAt = state.startedAt;
    this.usedBase = state.usedMs;
    this.free = state.free;
    this.released = state.released;
    this.readyUntil = state.readyUntil;
    this.ready.set(state.ready, state.released - from);
    this.held.set(state.held, state.released - from);
    this.log.rows(from, state.released).set(log.rows(from, state.released));
    this.log.rows(state.released, state.released + state.ready.length).set(state.rows);
    this.cpu.advance(state.now);
    this.follow();
    for (const drive of this.drives) drive.advance(state.now);
  }

  /** A picture is there for frames [first, last], and keeps its room until the last of them has passed. */
  store(first: number, last: number): void {
    for (let frame = first; frame <= last; frame++) this.ready[frame - this.workload.from]!++;
    if (last < this.released) this.free++;
    else this.held[last - this.workload.from]!++;
  }

  /** Frees the room of all frames before one. */
  release(frame: number): void {
    const end = Math.min(frame, this.workload.to);
    for (; this.released < end; this.released++) {
      this.free += this.held[this.released - this.workload.from]!;
      this.held[this.released - this.workload.from] = 0;
    }
  }
}

/** Above the picture count of any frame: an incomplete frame is never ready. */
const NEVER_READY = 255;

/** Pictures that each frame of a workload is made of. */
function wantedOf({ from, to, segments, isIncomplete }: Workload): Uint8Array {
  const more = new Int16Array(to - from + 1);
  for (const segment of segments) {
    const [first, end] = [Math.max(from, segment.from), Math.min(to, segment.to)];
    if (end <= first) continue;
    more[first - from]!++;
    more[end - from]!--;
  }
  let wanted = 0;
  return Uint8Array.from({ length: to - from }, (_, at) => {
    wanted += more[at]!;
    return isIncomplete?.[at] ? NEVER_READY : wanted;
  });
}
