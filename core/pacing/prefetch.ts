import type { FrameRange } from '../timeline/index.js';
import { OPEN_AHEAD_SECONDS } from './rules.js';

/** Timeline frames that one decoder works through. */
export interface Prefetched extends FrameRange {
  /** Playhead at which decoding begins, in frames; undefined where the policy decides. */
  readonly beginAt?: number | undefined;
}

/**
 * Segments, beside one for each decode worker, that may be on the way to their first picture at once. A decoder waits for
 * reading and for its worker between whiles, so that a few keep the cores busy; with more, all of them are late. Of a limit
 * of 1 to 99, this one showed most frames of short cuts and crossfades over long groups in the simulation.
 */
const MORE_AT_ONCE = 3;

/** Rule 6 of pacing: when segments begin to be decoded. */
export class PrefetchPolicy {
  /** First frames of segments that are decoded and have no picture yet, by key. */
  private readonly reaching = new Map<string, number>();
  private readonly lead: number;
  private readonly atOnce: number;

  /** @param decodeWorkers workers that take pictures out of decoders */
  constructor(
    private readonly framesPerSecond: number,
    private readonly decodeWorkers: number,
  ) {
    this.lead = OPEN_AHEAD_SECONDS * framesPerSecond;
    this.atOnce = decodeWorkers + MORE_AT_ONCE;
  }

  /** The playhead at which a segment begins to be decoded, in frames. */
  beginsAt(segment: Omit<Prefetched, 'to'>): number {
    return segment.beginAt ?? segment.from - this.lead;
  }

  /**
   * Decides about a segment that is not decoded yet. The caller goes through segments in the order of `beginsAt`.
   * @param end behind the last frame that is played
   * @returns the frame to begin at, which can still be shown; `later` or `wait`, which hold for all after it, too; `over` when
   * no frame of it is left
   */
  decide(segment: Prefetched, playhead: number, end: number): number | 'later' | 'wait' | 'over' {
    if (playhead < this.beginsAt(segment)) return 'later';
    if (segment.from >= end) return segment.beginAt === undefined ? 'later' : 'over';
    const from = Math.max(segment.from, Math.ceil(playhead - 1e-9));
    if (from >= segment.to) return 'over';
    // A plan has counted its work already.
    if (segment.beginAt !== undefined) return from;
    // Layers that begin together are needed together.
    let others = 0;
    for (const first of this.reaching.values()) if (first !== segment.from) others++;
    return others < this.atOnce ? from : 'wait';
  }

  /** A segment begins to be decoded. */
  onBegun(key: string, { from }: Pick<Prefetched, 'from'>): void {
    this.reaching.set(key, from);
  }

  /** The picture of a segment's first frame was decoded, or it is not decoded any more. */
  onReached(key: string): void {
    this.reaching.delete(key);
  }

  /** A copy, for a simulation that continues from here. */
  copy(): PrefetchPolicy {
    const copy = new PrefetchPolicy(this.framesPerSecond, this.decodeWorkers);
    for (const [key, first] of this.reaching) copy.reaching.set(key, first);
    return copy;
  }

  /** State key: two policies with equal keys decide alike. */
  stateKey(): string {
    return [...this.reaching.keys()].sort().join();
  }
}
