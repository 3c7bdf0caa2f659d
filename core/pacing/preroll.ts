import { PREROLL_FRAMES, PREROLL_LIMIT_MS } from './rules.js';

/** Rule 4 of pacing: when playing begins. */
export class Preroll {
  private firstReadyAt = NaN;

  /** @param from first frame @param to behind the last frame */
  constructor(
    private readonly from: number,
    private readonly to: number,
  ) {}

  /** Behind the last frame that is waited for. */
  get end(): number {
    return Math.min(this.to, this.from + PREROLL_FRAMES + 1);
  }

  /**
   * Whether playing can begin.
   * @param readyUntil the first frame that is not ready, `end` at most
   * @param nowMs on any clock, the same each time
   */
  isOver(readyUntil: number, nowMs: number): boolean {
    if (readyUntil > this.from && Number.isNaN(this.firstReadyAt)) this.firstReadyAt = nowMs;
    return readyUntil >= this.end || nowMs - this.firstReadyAt > PREROLL_LIMIT_MS;
  }
}
