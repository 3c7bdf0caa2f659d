import type { FrameLog } from '@hone/core/playback';
import type { Passage } from '@hone/core/render';
import type { FrameRange } from '@hone/core/timeline';
import type { FillingProgress } from '../shared/messages.js';
import type { PlanView } from './plan-view.js';
import { Prefetcher } from './prefetcher.js';
import type { StreamSet } from './stream-set.js';

/** Progress is told in steps of this many frames. */
const STEP = 12;

interface Filling {
  readonly frames: FrameRange;
  readonly prefetcher: Prefetcher;
  next: number;
  told: number;
}

/** After a run that dropped frames, makes their pictures at rest and keeps them, so that the next run shows them. */
export class Filler {
  private wanted: FrameRange | undefined;
  private filling: Filling | undefined;

  /** @param open begins to decode a passage from a frame on */
  constructor(
    private readonly streams: StreamSet,
    private readonly decodeWorkers: number,
    private readonly open: (passage: Passage, from: number) => void,
    private readonly tell: (progress: FillingProgress) => void,
  ) {}

  /** @param log of a run that ended; undefined where it showed nothing */
  onRunEnded(log: FrameLog | undefined): void {
    this.wanted = log && droppedRange(log);
  }

  onReached(passage: Passage): void {
    this.filling?.prefetcher.onReached(passage);
  }

  get isWanted(): boolean {
    return this.wanted !== undefined;
  }

  get isFilling(): boolean {
    return this.filling !== undefined;
  }

  /** @param keptFrames that memory has room for @returns the first frame that it makes */
  begin(plan: PlanView, keptFrames: number): number {
    const { from, to: end } = this.wanted!;
    const to = Math.min(end, plan.length, from + keptFrames);
    const prefetcher = new Prefetcher(plan, from, undefined, this.decodeWorkers, this.streams, this.open);
    this.filling = { frames: { from, to }, prefetcher, next: from, told: from - STEP };
    return from;
  }

  /** Lets go of what is ready, which stays in memory, and asks for what is missing. */
  advance(plan: PlanView): void {
    const { filling, streams } = this;
    if (!filling) return;
    const { from, to } = filling.frames;
    while (filling.next < to && streams.isReady(filling.next, plan.clipsAt(filling.next)))
      streams.passed(++filling.next);
    const isOver = filling.next >= to;
    if (isOver) this.cancel();
    else filling.prefetcher.openAhead(plan, filling.next, to);
    if (!isOver && filling.next < filling.told + STEP) return;
    filling.told = filling.next;
    this.tell({ done: filling.next - from, all: to - from, state: isOver ? 'finished' : 'running' });
  }

  /** Stops for a command; what is missing is made when it rests again. */
  interrupt(): void {
    const { filling } = this;
    this.filling = undefined;
    if (!filling) return;
    const { from, to } = filling.frames;
    this.tell({ done: filling.next - from, all: to - from, state: 'stopped' });
  }

  /** What is missing is not made. */
  cancel(): void {
    this.filling = undefined;
    this.wanted = undefined;
  }
}

/** From the first dropped frame to the last; undefined where none was. */
function droppedRange(log: FrameLog): FrameRange | undefined {
  const isDropped = (frame: number): boolean => Number.isNaN(log.get(frame, 'shown'));
  const { firstFrame, length } = log;
  let [from, to] = [firstFrame, firstFrame + length];
  while (from < to && !isDropped(from)) from++;
  while (to > from && !isDropped(to - 1)) to--;
  return from < to ? { from, to } : undefined;
}
