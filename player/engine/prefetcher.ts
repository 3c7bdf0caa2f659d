import {
  endOfMissing,
  OPEN_AHEAD_SECONDS,
  PrefetchPolicy,
  splitByRanges,
  type DecodePart,
  type DecodeRange,
  type Prefetched,
} from '@hone/core/pacing';
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
    for (const { segment, ...whole } of this.parts) {
      if (whole.to <= playhead) continue;
      const part = this.streams.keepsAny ? this.missing(segment.clipId, whole, playhead) : whole;
      if (!part) continue;
      const passage: Passage = { ...segment, from: part.from, to: part.to };
      if (this.streams.isOpen(passage)) continue;
      const from = this.policy.decide(part, playhead, end);
      if (from === 'later' || from === 'wait') break;
      if (from === 'over') continue;
      this.policy.onBegun(keyOf(passage), passage);
      this.open(passage, from);
    }
    this.streams.share();
  }

  /**
   * Rule 9 of pacing: the first frames of a part that are neither kept nor being decoded.
   * @returns undefined where none of those that would begin to be decoded now is missing
   */
  private missing(clipId: string, part: Prefetched, playhead: number): Prefetched | undefined {
    const begin = Math.max(part.from, Math.ceil(playhead - 1e-9));
    const lead = playhead + OPEN_AHEAD_SECONDS * this.plan.framesPerSecond;
    // The policy tells that it is not its time yet.
    if (playhead < this.policy.beginsAt(part)) return part;
    const end = part.beginAt === undefined ? Math.min(part.to, lead + 1) : part.to;
    const isThere = (frame: number): boolean =>
      this.streams.isKept(clipId, frame) || this.streams.isComing(clipId, frame);
    let from = begin;
    while (from < end && isThere(from)) from++;
    if (from >= end) return undefined;
    const beginAt = from === begin ? part.beginAt : undefined;
    const isKept = (frame: number): boolean => this.streams.isKept(clipId, frame);
    return { from, to: endOfMissing(from, part.to, isKept), beginAt };
  }

  /** The picture of a passage's first frame was decoded, or it is not decoded any more. */
  onReached(passage: Passage): void {
    this.policy.onReached(keyOf(passage));
  }
}

const keyOf = ({ clipId, from }: Passage): string => `${clipId} ${from}`;
