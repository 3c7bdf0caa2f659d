import { presentationAt } from '@hone/core/pacing';
import type { Control } from '../shared/control.js';
import type { MeasuredFacts, PictureCost } from '../shared/messages.js';
import type { PlanView } from './plan-view.js';
import type { PlayRequest } from './perform.js';
import { Run, type FinishedRun } from './run.js';
import { RunClock } from './run-clock.js';
import { RunStart } from './run-start.js';
import type { StreamSet } from './stream-set.js';

type Facts = Omit<MeasuredFacts, 'clock' | 'sound' | 'ranges' | 'leversMoved' | 'pressedAt'>;

/** Playing from the press of play to its end: its start, its clock, its frame log, and the frame that is shown. */
export class Playing {
  private readonly run: Run;
  private readonly start: RunStart;
  private clock: RunClock | undefined;
  private shownFrame = -1;

  constructor(
    readonly request: PlayRequest,
    private readonly plan: PlanView,
    private readonly control: Control,
  ) {
    const { from, to, pressedAt } = request;
    this.start = new RunStart(from, to);
    this.run = new Run(from, to, plan.rate, pressedAt - performance.timeOrigin, this.start.requestedAt);
  }

  /** Memory of the frame log, which the page may read. */
  get buffer(): SharedArrayBuffer {
    return this.run.buffer;
  }

  onLeversMoved(): void {
    this.run.leversMoved = true;
  }

  onCost(frame: number, cost: PictureCost): void {
    this.run.cost(frame, cost);
  }

  /** Starts the clock when the first pictures and the sound are ready. */
  hasStarted(plan: PlanView, streams: StreamSet): boolean {
    if (!this.start.isReady(plan, streams, this.control)) return false;
    this.run.startedAt = performance.now();
    this.control.set('running', 1);
    this.clock = new RunClock(this.control, this.request.clock, this.request.latencyMs);
    return true;
  }

  /** The playhead now, in frames and fractions, after the start. */
  playhead(): number {
    const elapsedMs = this.clock!.elapsedMs();
    // A sound device begins with a delay; frames are due by the sound that is heard.
    this.run.startedAt = performance.now() - elapsedMs;
    return this.request.from + (elapsedMs / 1000) * this.plan.framesPerSecond;
  }

  /** Time until a frame is due, ms, from now on: showing one may take nearly as long as it stands. */
  msUntil(frame: number): number {
    return Math.max(0, ((frame - this.playhead()) * 1000) / this.plan.framesPerSecond);
  }

  presentationAt(playhead: number, isReady: (frame: number) => boolean): ReturnType<typeof presentationAt> {
    return presentationAt(playhead, this.shownFrame, this.request.to, isReady);
  }

  /** Whether the picture on the screen stands for a frame as well. */
  isStanding(plan: PlanView, frame: number): boolean {
    return this.shownFrame >= 0 && plan.isStanding(frame, this.shownFrame);
  }

  /** @param waiting frames after it that are ready */
  onShown(
    frame: number,
    { composeMs, showMs }: { composeMs: number; showMs: number },
    waiting: number,
  ): void {
    this.shownFrame = frame;
    this.run.shown(frame, composeMs, showMs, waiting);
  }

  /** Frames before `frame` that were not shown are dropped. */
  onPassed(frame: number, waiting: number): void {
    this.run.passed(frame, waiting);
  }

  /** First frame whose pictures are still needed. */
  neededFrom(frame: number): number {
    return this.shownFrame === frame ? frame + 1 : frame;
  }

  /** @returns undefined before any frame was due */
  finished(facts: Facts): FinishedRun | undefined {
    const { ranges } = this.request;
    const clock = this.clock?.kind ?? 'system';
    return this.run.finished({ clock, sound: this.control.soundFacts(), ranges, ...facts });
  }
}
