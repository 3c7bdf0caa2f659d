import type { Passage } from '@hone/core/render';
import type { PlanView } from './plan-view.js';
import type { StreamSet } from './stream-set.js';

/** Shows frames as fast as they can be made, without a clock: how benchmarks measure throughput. */
export class FlatOut {
  private next: number;
  private readonly startedAt = performance.now();

  /** Frames [from, to) of the timeline. */
  constructor(
    private readonly from: number,
    private readonly to: number,
  ) {
    this.next = from;
  }

  /**
   * Shows what is ready.
   * @param reach frames before a passage begins at which it is opened
   * @returns frames and ms once all are shown
   */
  advance(
    plan: PlanView,
    streams: StreamSet,
    reach: number,
    open: (passage: Passage, from: number) => void,
    show: (frame: number) => void,
  ): { frames: number; ms: number } | undefined {
    for (const passage of plan.passages) {
      if (passage.to <= this.next || passage.from >= this.to || streams.isOpen(passage)) continue;
      if (passage.from <= this.next + reach) open(passage, Math.max(passage.from, this.next));
    }
    streams.share();
    while (this.next < this.to && streams.isReady(this.next, plan.clipsAt(this.next))) {
      show(this.next++);
      streams.passed(this.next);
    }
    if (this.next < this.to) return undefined;
    return { frames: this.to - this.from, ms: performance.now() - this.startedAt };
  }
}
