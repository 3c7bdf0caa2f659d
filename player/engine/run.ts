import { FrameLog, frameBudgetMs } from '@hone/core/playback';
import type { Rational } from '@hone/core/time';
import type { EngineReply, MeasuredFacts, PictureCost } from '../shared/messages.js';

export type FinishedRun = Extract<EngineReply, { kind: 'run' }>;

/** Most frames that a run keeps: an hour at 60 a second. */
const MOST_FRAMES = 216_000;

/** The frame log of the run that is under way. */
export class Run {
  readonly log: FrameLog;
  /** Memory of the log, which the page may read during the run. */
  readonly buffer: SharedArrayBuffer;
  leversMoved = false;
  private settledUntil: number;
  private readonly budgetMs: number;

  /**
   * @param pressedAt ms on this worker's clock
   * @param startedAt ms on this worker's clock at which the first frame was due
   */
  constructor(
    readonly from: number,
    to: number,
    rate: Rational,
    readonly pressedAt: number,
    public startedAt: number,
  ) {
    const frames = Math.min(MOST_FRAMES, Math.max(0, to - from));
    this.buffer = new SharedArrayBuffer(FrameLog.bytesFor(frames));
    this.log = FrameLog.empty(from, frames, this.buffer);
    this.settledUntil = from;
    this.budgetMs = frameBudgetMs(rate);
  }

  cost(frame: number, cost: PictureCost): void {
    this.log.add(frame, 'read', cost.readMs);
    this.log.add(frame, 'decode', cost.decodeMs);
    this.log.add(frame, 'scale', cost.scaleMs);
    this.log.add(frame, 'effects', cost.effectsMs);
    this.log.add(frame, 'decoded', cost.decoded);
  }

  /** @param waiting frames after it that are ready */
  shown(frame: number, composeMs: number, showMs: number, waiting: number): void {
    this.passed(frame, waiting);
    this.settle(frame, waiting);
    this.log.set(frame, 'shown', performance.now() - this.pressedAt);
    this.log.set(frame, 'compose', composeMs);
    this.log.set(frame, 'show', showMs);
    this.settledUntil = Math.max(this.settledUntil, frame + 1);
  }

  /** Frames before `frame` that were not shown are dropped. */
  passed(frame: number, waiting: number): void {
    for (; this.settledUntil < frame; this.settledUntil++) this.settle(this.settledUntil, waiting);
  }

  /** Facts and log of the run at its end; undefined before any frame is settled. */
  finished(facts: Omit<MeasuredFacts, 'leversMoved' | 'pressedAt'>): FinishedRun | undefined {
    const { firstFrame, length, values } = this.log.settledPart();
    if (length === 0) return undefined;
    const pressedAt = performance.timeOrigin + this.pressedAt;
    const { leversMoved } = this;
    return { kind: 'run', firstFrame, log: values.slice(), facts: { leversMoved, pressedAt, ...facts } };
  }

  private settle(frame: number, waiting: number): void {
    this.log.set(frame, 'due', this.startedAt - this.pressedAt + (frame - this.from) * this.budgetMs);
    this.log.set(frame, 'waiting', waiting);
    this.log.set(frame, 'settled', 1);
  }
}
