import { changeOf, statesEqual, type Change, type Checkpoint } from './checkpoint.js';
import type { FrameLog } from '../playback/index.js';
import { drawMsAt, normalize, type Workload } from '../cost-model/index.js';
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
  /** State that another simulation can continue from. */
  readonly workload: Workload;
  readonly checkpoints: readonly Checkpoint[];
  /** Core-ms that were used from the press of play until the first frame was due, and until the end. */
  readonly usedBefore: number;
  readonly usedMs: number;
  /** ms from the first frame to the end. */
  readonly playedMs: number;
}

/**
 * Plays a workload without playing it: readers, decoders, workers, the engine and the screen as the player has them, with
 * its queues, its rules of pacing and its way of handing out room, on cores and drives that they share.
 *
 * The same workload, spread and seed give the same log.
 * @param before a simulation of a workload that differs a little: only what the difference touches is played again
 * @throws RangeError when the workload has no frames
 */
export function simulate(
  workload: Workload,
  options: SimulationOptions = {},
  before?: SimulatedRun,
): SimulatedRun {
  if (workload.to <= workload.from) throw new RangeError('There is no frame to play.');
  const change = before && !options.spread ? changeOf(before.workload, workload) : undefined;
  if (!before || !change) return new Simulation(workload, options).run();
  if (change.first === Infinity) return before;
  const start = before.checkpoints.findLast(
    ({ frame, streams, context }) =>
      streams.nextSegment <= change.segment && Math.max(frame + 1, context.released) <= change.first,
  );
  return start
    ? new Simulation(workload, options).goOn(before, start, change)
    : new Simulation(workload, options).run();
}

/** Frames between checkpoints, where there are any. */
const CHECKPOINT_FRAMES = 48;

/** Spares the engine no wake-up that rounding could put to either side of a moment. */
const QUIET_MARGIN_MS = 0.01;

class Simulation {
  private readonly context: SimulationContext;
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

  private readonly workload: Workload;

  constructor(
    private readonly given: Workload,
    options: SimulationOptions,
  ) {
    const workload = normalize(given);
    this.workload = workload;
    this.context = new SimulationContext(workload, options);
    this.streams = new SimulatedStreams(this.context, () => {
      if (this.context.now >= this.quietUntil && !this.context.cpu.isBusy(ENGINE)) this.tick();
    });
    this.preroll = new Preroll(workload.from, workload.to);
    this.shownFrame = workload.from - 1;
    this.settled = workload.from;
    this.wakeAt = workload.startMs;
  }

  run(): SimulatedRun {
    this.play();
    const { context } = this;
    return this.runOf(context.usedMs, context.now - context.startedAt);
  }

  /** Plays on from a moment of an earlier simulation, until all is as it was there again. */
  goOn(run: SimulatedRun, start: Checkpoint, change: Change): SimulatedRun {
    const { context, workload, streams } = this;
    context.restore(start.context, run.log);
    streams.restore(start.streams);
    this.shownFrame = start.frame;
    this.settled = start.settled;
    this.wakeAt = context.startedAt + (start.frame + 1 - workload.from) * context.budgetMs;
    this.usedBefore = run.usedBefore;
    this.before = { run, from: change.last };
    this.checkpoints.push(...run.checkpoints.slice(0, run.checkpoints.indexOf(start) + 1));
    this.play();
    const { joined } = this;
    if (!joined) return this.runOf(context.usedMs, context.now - context.startedAt);
    context.log.rows(joined.settled, workload.to).set(run.log.rows(joined.settled, workload.to));
    const more = context.usedMs - joined.context.usedMs;
    for (const each of run.checkpoints.slice(run.checkpoints.indexOf(joined)))
      this.checkpoints.push({ ...each, context: { ...each.context, usedMs: each.context.usedMs + more } });
    return this.runOf(run.usedMs + more, run.playedMs);
  }

  private runOf(usedMs: number, playedMs: number): SimulatedRun {
    const { given: workload, checkpoints, usedBefore } = this;
    const coreUse = playedMs > 0 ? (usedMs - usedBefore) / playedMs / workload.cores : 0;
    return { log: this.context.log, coreUse, workload, checkpoints, usedBefore, usedMs, playedMs };
  }

  private play(): void {
    const { context, workload } = this;
    const lastMs = workload.startMs + 60_000 + (workload.to - workload.from + 10) * context.budgetMs;
    while (this.settled < workload.to && context.now < lastMs && !this.joined) {
      this.step();
      if (Number.isNaN(this.usedBefore) && !Number.isNaN(context.startedAt)) this.usedBefore = context.usedMs;
    }
  }

  // One thing happens: something is read, something on the cores ends, or the engine wakes.
  private step(): void {
    const { context, streams } = this;
    const { cpu } = context;
    const reader = streams.areReading ? this.nextReader() : undefined;
    const readAt = reader ? reader.nextEnd : Infinity;
    const cpuAt = cpu.nextEnd;
    if (cpuAt <= this.wakeAt && cpuAt < readAt) {
      const job = cpu.finish();
      context.follow();
      this.ended(job);
      return;
    }
    // Everybody waits for the next frame to be due.
    if (cpuAt === Infinity && !reader && this.note()) return;
    if (this.wakeAt === Infinity && !reader) throw new RangeError('The simulation has come to a standstill.');
    cpu.advance(Math.min(readAt, this.wakeAt));
    context.follow();
    if (reader && readAt <= this.wakeAt) streams.readEnded(reader.finish());
    else {
      this.wakeAt = Infinity;
      this.tick();
    }
  }

  /** Drive whose next read ends first. */
  private nextReader(): ProcessorSharing | undefined {
    let first: ProcessorSharing | undefined;
    for (const drive of this.context.drives) if (drive.nextEnd < (first?.nextEnd ?? Infinity)) first = drive;
    return first;
  }

  private ended(job: number): void {
    if (job === ENGINE) this.hasDrawn();
    else if (job === PRESENTER) this.hasPresented();
    else this.streams.ended(job);
  }

  private tick(): void {
    if (this.context.cpu.isBusy(ENGINE)) return;
    this.quietUntil = 0;
    if (Number.isNaN(this.context.startedAt)) {
      this.streams.openAhead(this.workload.from);
      if (!this.hasStarted()) {
        this.wakeAt = Math.min(this.wakeAt, this.context.now + 10);
        return;
      }
      this.context.start();
    }
    const { playhead } = this.context;
    const frame = frameAtPlayhead(playhead);
    this.settleUntil(Math.min(frame, this.workload.to));
    const step = presentationAt(playhead, this.shownFrame, this.workload.to, (each) =>
      this.context.isReady(each),
    );
    if (step === 'end') return;
    if (step === 'show') {
      this.drawing = frame;
      this.shownFrame = frame;
      const ms = this.context.work(
        this.workload.composeMs[frame - this.workload.from]! + drawMsAt(this.workload, frame).show,
      );
      this.context.cpu.begin(ENGINE, ms);
      return;
    }
    this.streams.passed(this.shownFrame === frame ? frame + 1 : frame);
    this.streams.openAhead(playhead);
    const due = this.dueAt(frame + 1);
    this.wakeAt = Math.min(this.wakeAt, Math.max(this.context.now + 0.01, due));
    const untilNext = (this.streams.nextOpening - playhead) * this.context.budgetMs;
    if (frame === this.shownFrame)
      this.quietUntil = Math.min(due, this.context.now + untilNext) - QUIET_MARGIN_MS;
  }

  /** Notes a moment that can be gone on from. @returns whether an earlier simulation was the same from here on */
  private note(): boolean {
    const { context, streams, settled, before, shownFrame: frame } = this;
    const isNoted = this.checkpoints.at(-1)?.frame === frame;
    const isTime = (frame - this.workload.from) % CHECKPOINT_FRAMES === 0 && settled === frame + 1;
    if (isNoted || !isTime || !streams.isIdle) return false;
    const stood = context.snapshot(streams.reach);
    const moment = { frame, settled, context: stood, streams: streams.snapshot() };
    if (before && frame >= before.from) {
      this.joined = before.run.checkpoints.find((each) => statesEqual(each, moment));
      if (this.joined) return true;
    }
    this.checkpoints.push(moment);
    return false;
  }

  private hasStarted(): boolean {
    const { end } = this.preroll;
    let until = this.workload.from;
    while (until < end && this.context.isReady(until)) until++;
    return this.preroll.isOver(until, this.context.now);
  }

  private hasDrawn(): void {
    const { tookMs } = this.context.cpu;
    const frame = this.drawing;
    this.drawing = -1;
    const compose = this.workload.composeMs[frame - this.workload.from]!;
    const whole = compose + drawMsAt(this.workload, frame).show;
    const part = whole > 0 ? compose / whole : 0;
    this.settleUntil(frame);
    this.settle(frame);
    this.context.log.set(frame, 'shown', this.context.now);
    this.context.log.set(frame, 'compose', tookMs * part);
    this.context.log.set(frame, 'show', tookMs * (1 - part));
    this.settled = Math.max(this.settled, frame + 1);
    this.streams.passed(frame + 1);
    this.present(frame);
    this.tick();
  }

  private dueAt(frame: number): number {
    return this.context.startedAt + (frame - this.workload.from) * this.context.budgetMs;
  }

  // The browser takes one picture after the other; what it has not begun when the next comes, it leaves out.
  private present(frame: number): void {
    if (drawMsAt(this.workload, frame).present <= 0) return;
    if (this.context.cpu.isBusy(PRESENTER)) this.presentDebt = 1;
    else this.context.cpu.begin(PRESENTER, this.context.work(this.workload.presentMs));
  }

  private hasPresented(): void {
    if (this.presentDebt === 0) return;
    this.presentDebt = 0;
    this.context.cpu.begin(PRESENTER, this.context.work(this.workload.presentMs));
  }

  private settleUntil(frame: number): void {
    for (; this.settled < Math.min(frame, this.workload.to); this.settled++)
      if (this.settled !== this.drawing) this.settle(this.settled);
      else return;
  }

  private settle(frame: number): void {
    this.context.log.set(frame, 'due', this.dueAt(frame));
    this.context.log.set(frame, 'waiting', this.context.waitingAfter(frame));
    this.context.log.set(frame, 'settled', 1);
  }
}
