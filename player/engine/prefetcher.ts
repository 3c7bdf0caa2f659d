import { splitByRanges, PrefetchPolicy, type DecodePart, type DecodeRange } from '@hone/core/pacing';
import type { Passage } from '@hone/core/render';
import type { PlanView } from './plan-view.js';
import type { StreamSet } from './stream-set.js';

/** Opens the passages of a run by rule 6 of pacing. */
export class Prefetcher {
  private readonly policy: PrefetchPolicy;
  private parts: readonly DecodePart<Passage>[];

  /**
   * @param start first frame of playback
   * @param ranges of the decode plan; undefined decodes everything
   * @param open begins to decode a passage from a frame on
   */
  constructor(
    private plan: PlanView,
    start: number,
    ranges: readonly DecodeRange[] | undefined,
    decodeWorkers: number,
    private readonly streams: StreamSet,
    private readonly open: (passage: Passage, from: number) => void,
  ) {
    this.policy = new PrefetchPolicy(plan.framesPerSecond, decodeWorkers);
    this.parts = splitByRanges(plan.passages, ranges, start);
  }

  /** @param end behind the last frame that is played */
  openAhead(plan: PlanView, playhead: number, end: number): void {
    // The ranges belong to the plan at the start of the run.
    if (plan !== this.plan) {
      this.plan = plan;
      this.parts = splitByRanges(plan.passages, undefined, playhead);
    }
    for (const { segment, ...part } of this.parts) {
      const passage: Passage = { ...segment, from: part.from, to: part.to };
      if (part.to <= playhead || this.streams.isOpen(passage)) continue;
      const from = this.policy.decide(part, playhead, end);
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
