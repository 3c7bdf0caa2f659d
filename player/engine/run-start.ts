import { Preroll } from '@hone/core/pacing';
import type { Control } from '../shared/control.js';
import type { PlanView } from './plan-view.js';
import type { StreamSet } from './stream-set.js';

/** Sound has this long to be ready before playing begins without it. */
const SOUND_LIMIT_MS = 1500;

/** Waits for the first pictures and the sound of a run. */
export class RunStart {
  /** ms on the worker's clock. */
  readonly requestedAt = performance.now();
  private readonly preroll: Preroll;

  /** Frames [from, to) of the timeline. */
  constructor(
    private readonly from: number,
    to: number,
  ) {
    this.preroll = new Preroll(from, to);
  }

  /** Whether playing begins now (rule 4 of pacing). */
  isReady(plan: PlanView, streams: StreamSet, control: Control): boolean {
    const now = performance.now();
    const until = streams.readyUntil(this.from, (frame) => plan.clipsAt(frame), this.preroll.end);
    const isSoundReady =
      control.get('soundReady') === control.get('epoch') || now - this.requestedAt > SOUND_LIMIT_MS;
    return this.preroll.isOver(until, now) && isSoundReady;
  }
}
