/** Longest time after the end of other work in which a picture counts as one that came before that end, ms. */
const SEEN_LATE_MS = 1;
/** Pictures over which the usual time of decoding one is averaged. */
const AVERAGED = 16;

/** When a worker last ended a piece of work during which it saw nothing come. */
export class BusyTracker {
  private endedAt = -Infinity;

  /** A piece of work has ended. */
  ended(now: number): void {
    this.endedAt = now;
  }

  /** Whether something that is seen at a moment may have come earlier. */
  hides(now: number): boolean {
    return now - this.endedAt < SEEN_LATE_MS;
  }
}

/**
 * Tells what decoding took from when pictures are seen to come out. One that came while its worker was at something else
 * is seen late: it is taken to have cost what pictures cost that were seen at once, but no more than the time there was.
 * All moments are ms of one clock.
 */
export class DecodeClock {
  private from = 0;
  /** Whether the decoder is known to have begun the next picture then. */
  private isKnown = true;
  private isFirst = true;
  /** Time before that could have been decoding, and was not counted as such. */
  private spareMs = 0;
  private usualMs: number | undefined;
  private counted = 0;

  constructor(private readonly busy: BusyTracker) {}

  /** Decoding begins anew. The first picture takes longer: it comes when the decoder has been set up and filled. */
  restart(now: number): void {
    this.begin(now);
    this.isFirst = true;
  }

  /** The decoder was idle until now. */
  begin(now: number): void {
    this.from = now;
    this.isKnown = true;
    this.spareMs = 0;
  }

  /** A picture is seen to have come out. @returns what decoding it took, ms */
  seen(now: number): number {
    const isLate = this.busy.hides(now);
    const isExact = this.isKnown && !isLate;
    const wholeMs = now - this.from + this.spareMs;
    this.from = now;
    this.isKnown = !isLate;
    const ms = isExact ? wholeMs : Math.min(wholeMs, this.usualMs ?? wholeMs);
    this.spareMs = isLate ? wholeMs - ms : 0;
    if (isExact) this.learn(ms);
    this.isFirst = false;
    return ms;
  }

  // Of the first picture only for want of a better one.
  private learn(ms: number): void {
    if (this.isFirst && this.counted > 0) return;
    if (!this.isFirst) this.counted++;
    const weight = 1 / Math.max(1, Math.min(this.counted, AVERAGED));
    this.usualMs = this.usualMs === undefined ? ms : this.usualMs + weight * (ms - this.usualMs);
  }
}
