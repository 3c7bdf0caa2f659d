import { PrefetchPolicy } from '@hone/core/pacing';
import type { Passage } from '@hone/core/render';
import type { PlanView } from './plan-view.js';
import type { StreamSet } from './stream-set.js';

/** Begins to decode the passages of a run when rule 6 of pacing says so. */
export class Prefetcher {
  private readonly policy: PrefetchPolicy;

  /** @param open begins to decode a passage from a frame on */
  constructor(
    { framesPerSecond }: PlanView,
    decodeWorkers: number,
    private readonly streams: StreamSet,
    private readonly open: (passage: Passage, from: number) => void,
  ) {
    this.policy = new PrefetchPolicy(framesPerSecond, decodeWorkers);
  }

  /** @param end behind the last frame that is played */
  openAhead({ passages }: PlanView, playhead: number, end: number): void {
    for (const passage of passages) {
      if (passage.to <= playhead || this.streams.isOpen(passage)) continue;
      const from = this.policy.decide(passage, playhead, end);
      if (from === 'later' || from === 'wait') break;
      if (from === 'over') continue;
      this.policy.onBegun(keyOf(passage), passage);
      this.open(passage, from);
    }
    this.streams.share();
  }

  /** The picture of a passage's first frame was decoded, or it is not decoded any more. */
  onReached(passage: Passage): void {
    this.policy.onReached(keyOf(passage));
  }
}

const keyOf = ({ clipId, from }: Passage): string => `${clipId} ${from}`;
