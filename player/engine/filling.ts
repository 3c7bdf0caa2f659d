import type { PlanView } from './plan-view.js';
import type { Prefetcher } from './prefetcher.js';
import type { StreamSet } from './stream-set.js';

/** Makes the pictures of a run that are missing in memory while nothing plays, so that the next run shows them. */
export class Filling {
  private next: number;

  /** Frames [from, to) of the timeline. @param prefetcher opens what is missing */
  constructor(
    private readonly prefetcher: Prefetcher,
    from: number,
    private readonly to: number,
  ) {
    this.next = from;
  }

  /** Lets go of what is ready, which stays in memory. @returns whether all frames have been there */
  advance(plan: PlanView, streams: StreamSet): boolean {
    while (this.next < this.to && streams.isReady(this.next, plan.clipsAt(this.next)))
      streams.passed(++this.next);
    if (this.next < this.to) this.prefetcher.openAhead(plan, this.next, this.to);
    return this.next >= this.to;
  }
}
