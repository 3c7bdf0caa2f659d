import { changeOf, statesEqual, type Change, type Checkpoint } from './checkpoint.js';
import type { FrameLog } from '../playback/index.js';
import { normalize, type Workload } from '../cost-model/index.js';
import { frameAtPlayhead, Preroll, presentationAt } from '../pacing/index.js';
import type { ProcessorSharing } from './processor-sharing.js';
import { ENGINE, PRESENTER, SimulationContext, type SimulationOptions } from './simulation-context.js';
import { SimulatedStreams } from './simulated-streams.js';

export type { SimulationOptions };

export interface SimulatedRun {
  /** As the player itself would log it. */
  readonly log: FrameLog;
  /** Mean share of all cores in use while it played, 0 to 1. */
  readonly coreUse: number;
  /** What another simulation can go on from. */
  readonly line: Workload;
  readonly checkpoints: readonly Checkpoint[];
  /** Core-ms that were used from the press of play until the first frame was due, and until the end. */
  readonly usedBefore: number;
  readonly usedMs: number;
  /** ms from the first frame to the end. */
  readonly playedMs: number;
}

/**
 * Plays a line without playing it: readers, decoders, workers, the engine and the screen as the player has them, with
 * its queues, its rules of pacing and its way of handing out room, on cores and drives that they share.
 *
 * The same line, spread and seed give the same log.
 * @param before a simulation of a line that differs a little: only what the difference touches is played again
 * @throws RangeError when the line has no frames
 */
export function simulate(
  line: Workload,
  options: SimulationOptions = {},
  before?: SimulatedRun,
): SimulatedRun {
  if (line.to <= line.from) throw new RangeError('There is no frame to play.');
  const change = before && !options.spread ? changeOf(before.line, line) : undefined;
  if (!before || !change) return new Simulation(line, options).run();
  if (change.first === Infinity) return before;
  const start = before.checkpoints.findLast(
    ({ frame, streams, floor }) =>
      streams.nextPassage <= change.passage && Math.max(frame + 1, floor.released) <= change.first,
  );
  return start
    ? new Simulation(line, options).goOn(before, start, change)
    : new Simulation(line, options).run();
}

/** Frames between moments that a simulation can go on from, where there are any. */
const CHECKPOINT_FRAMES = 48;

/** Spares the engine no wake-up that rounding could put to either side of a moment. */
const QUIET_MARGIN_MS = 0.01;

class Simulation {
  private readonly floor: SimulationContext;
  private readonly streams: SimulatedStreams;
  private readonly preroll: Preroll;
  private shownFrame: number;
  private drawing = -1;
  private settled: number;
  private wakeAt: number;
  /** Until when a picture that becomes ready changes nothing for the engine. */
  private quietUntil = 0;
  private presentDebt = 0;
  private readonly checkpoints: Checkpoint[] = [];
  /** Core-ms that were used before the first frame was due. */
  private usedBefore = NaN;
  /** The moment from which on all is as it was before. */
  private joined: Checkpoint | undefined;
  private before: { readonly run: SimulatedRun; readonly from: number } | undefined;

  private readonly line: Workload;

  constructor(
    private readonly given: Workload,
    options: SimulationOptions,
  ) {
    const line = normalize(given);
    this.line = line;
    this.floor = new SimulationContext(line, options);
    this.streams = new SimulatedStreams(this.floor, () => {
      if (this.floor.now >= this.quietUntil && !this.floor.cpu.isBusy(ENGINE)) this.tick();
    });
    this.preroll = new Preroll(line.from, line.to);
    this.shownFrame = line.from - 1;
    this.settled = line.from;
    this.wakeAt = line.startMs;
  }

  run(): SimulatedRun {
    this.play();
    const { floor } = this;
    return this.runOf(floor.usedMs, floor.now - floor.startedAt);
  }

  /** Plays on from a moment of an earlier simulation, until all is as it was there again. */
  goOn(run: SimulatedRun, start: Checkpoint, change: Change): SimulatedRun {
    const { floor, line, streams } = this;
    floor.restore(start.floor, run.log);
    streams.restore(start.streams);
    this.shownFrame = start.frame;
    this.settled = start.settled;
    this.wakeAt = floor.startedAt + (start.frame + 1 - line.from) * floor.budgetMs;
    this.usedBefore = run.usedBefore;
    this.before = { run, from: change.last };
    this.checkpoints.push(...run.checkpoints.slice(0, run.checkpoints.indexOf(start) + 1));
    this.play();
    const { joined } = this;
    if (!joined) return this.runOf(floor.usedMs, floor.now - floor.startedAt);
    floor.log.rows(joined.settled, line.to).set(run.log.rows(joined.settled, line.to));
    const more = floor.usedMs - joined.floor.usedMs;
    for (const each of run.checkpoints.slice(run.checkpoints.indexOf(joined)))
      this.checkpoints.push({ ...each, floor: { ...each.floor, usedMs: each.floor.usedMs + more } });
    return this.runOf(run.usedMs + more, run.playedMs);
  }

  private runOf(usedMs: number, playedMs: number): SimulatedRun {
    const { given: line, checkpoints, usedBefore } = this;
    const coreUse = playedMs > 0 ? (usedMs - usedBefore) / playedMs / line.cores : 0;
    return { log: this.floor.log, coreUse, line, checkpoints, usedBefore, usedMs, playedMs };
  }

  private play(): void {
    const { floor, line } = this;
    const lastMs = line.startMs + 60_000 + (line.to - line.from + 10) * floor.budgetMs;
    while (this.settled < line.to && floor.now < lastMs && !this.joined) {
      this.step();
      if (Number.isNaN(this.usedBefore) && !Number.isNaN(floor.startedAt)) this.usedBefore = floor.usedMs;
    }
  }

  // One thing happens: something is read, something on the cores ends, or the engine wakes.
  private step(): void {
    const { floor, streams } = this;
    const { cpu } = floor;
    const reader = streams.areReading ? this.nextReader() : undefined;
    const readAt = reader ? reader.nextEnd : Infinity;
    const cpuAt = cpu.nextEnd;
    if (cpuAt <= this.wakeAt && cpuAt < readAt) {
      const station = cpu.finish();
      floor.follow();
      this.ended(station);
      return;
    }
    // Everybody waits for the next frame to be due.
    if (cpuAt === Infinity && !reader && this.note()) return;
    if (this.wakeAt === Infinity && !reader) throw new RangeError('The simulation has come to a standstill.');
    cpu.advance(Math.min(readAt, this.wakeAt));
    floor.follow();
    if (reader && readAt <= this.wakeAt) streams.readEnded(reader.finish());
    else {
      this.wakeAt = Infinity;
      this.tick();
    }
  }

  /** The drive on which somebody has read first. */
  private nextReader(): ProcessorSharing | undefined {
    let first: ProcessorSharing | undefined;
    for (const drive of this.floor.drives) if (drive.nextEnd < (first?.nextEnd ?? Infinity)) first = drive;
    return first;
  }

  private ended(station: number): void {
    if (station === ENGINE) this.hasDrawn();
    else if (station === PRESENTER) this.hasPresented();
    else this.streams.ended(station);
  }

  private tick(): void {
    if (this.floor.cpu.isBusy(ENGINE)) return;
    this.quietUntil = 0;
    if (Number.isNaN(this.floor.startedAt)) {
      this.streams.openAhead(this.line.from);
      if (!this.hasStarted()) {
        this.wakeAt = Math.min(this.wakeAt, this.floor.now + 10);
        return;
      }
      this.floor.start();
    }
    const { playhead } = this.floor;
    const frame = frameAtPlayhead(playhead);
    this.settleUntil(Math.min(frame, this.line.to));
    const step = presentationAt(playhead, this.shownFrame, this.line.to, (each) => this.floor.isReady(each));
    if (step === 'end') return;
    if (step === 'show') {
      this.drawing = frame;
      this.shownFrame = frame;
      const ms = this.floor.work(this.line.composeMs[frame - this.line.from]! + this.line.showMs);
      this.floor.cpu.begin(ENGINE, ms);
      return;
    }
    this.streams.passed(this.shownFrame === frame ? frame + 1 : frame);
    this.streams.openAhead(playhead);
    const due = this.dueAt(frame + 1);
    this.wakeAt = Math.min(this.wakeAt, Math.max(this.floor.now + 0.01, due));
    const untilNext = (this.streams.nextOpening - playhead) * this.floor.budgetMs;
    if (frame === this.shownFrame)
      this.quietUntil = Math.min(due, this.floor.now + untilNext) - QUIET_MARGIN_MS;
  }

  /** Notes a moment that can be gone on from. @returns whether an earlier simulation was the same from here on */
  private note(): boolean {
    const { floor, streams, settled, before, shownFrame: frame } = this;
    const isNoted = this.checkpoints.at(-1)?.frame === frame;
    const isTime = (frame - this.line.from) % CHECKPOINT_FRAMES === 0 && settled === frame + 1;
    if (isNoted || !isTime || !streams.isIdle) return false;
    const stood = floor.snapshot(streams.reach);
    const moment = { frame, settled, floor: stood, streams: streams.snapshot() };
    if (before && frame >= before.from) {
      this.joined = before.run.checkpoints.find((each) => statesEqual(each, moment));
      if (this.joined) return true;
    }
    this.checkpoints.push(moment);
    return false;
  }

  private hasStarted(): boolean {
    const { end } = this.preroll;
    let until = this.line.from;
    while (until < end && this.floor.isReady(until)) until++;
    return this.preroll.isOver(until, this.floor.now);
  }

  private hasDrawn(): void {
    const { tookMs } = this.floor.cpu;
    const frame = this.drawing;
    this.drawing = -1;
    const compose = this.line.composeMs[frame - this.line.from]!;
    const whole = compose + this.line.showMs;
    const part = whole > 0 ? compose / whole : 0;
    this.settleUntil(frame);
    this.settle(frame);
    this.floor.log.set(frame, 'shown', this.floor.now);
    this.floor.log.set(frame, 'compose', tookMs * part);
    this.floor.log.set(frame, 'show', tookMs * (1 - part));
    this.settled = Math.max(this.settled, frame + 1);
    this.streams.passed(frame + 1);
    this.present();
    this.tick();
  }

  private dueAt(frame: number): number {
    return this.floor.startedAt + (frame - this.line.from) * this.floor.budgetMs;
  }

  // The browser takes one picture after the other; what it has not begun when the next comes, it leaves out.
  private present(): void {
    if (this.line.presentMs <= 0) return;
    if (this.floor.cpu.isBusy(PRESENTER)) this.presentDebt = 1;
    else this.floor.cpu.begin(PRESENTER, this.floor.work(this.line.presentMs));
  }

  private hasPresented(): void {
    if (this.presentDebt === 0) return;
    this.presentDebt = 0;
    this.floor.cpu.begin(PRESENTER, this.floor.work(this.line.presentMs));
  }

  private settleUntil(frame: number): void {
    for (; this.settled < Math.min(frame, this.line.to); this.settled++)
      if (this.settled !== this.drawing) this.settle(this.settled);
      else return;
  }

  private settle(frame: number): void {
    this.floor.log.set(frame, 'due', this.dueAt(frame));
    this.floor.log.set(frame, 'waiting', this.floor.waitingAfter(frame));
    this.floor.log.set(frame, 'settled', 1);
  }
}
