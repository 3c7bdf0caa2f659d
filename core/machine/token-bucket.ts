/**
 * Lets bytes pass at a rate: tokens, one for a byte, run in at that rate up to a burst, and each passage takes its
 * own. Over any time t no more than rate × t + burst passes. One that takes more than there are waits until they would
 * be there; those behind it wait longer.
 */
export class TokenBucket {
  private tokens: number;
  private filledAtMs: number;

  /**
   * @param bytesPerSecond rate, positive
   * @param burstBytes most tokens that are saved up
   * @param nowMs time on the caller's clock
   * @throws RangeError when the rate is not positive
   */
  constructor(
    readonly bytesPerSecond: number,
    readonly burstBytes: number,
    nowMs: number,
  ) {
    if (!(bytesPerSecond > 0)) throw new RangeError(`A rate must be positive, but is ${bytesPerSecond}.`);
    this.tokens = burstBytes;
    this.filledAtMs = nowMs;
  }

  /**
   * Takes tokens, and goes into debt where there are too few.
   * @returns ms to wait before the bytes may pass
   */
  take(bytes: number, nowMs: number): number {
    const ran = ((nowMs - this.filledAtMs) * this.bytesPerSecond) / 1000;
    this.tokens = Math.min(this.burstBytes, this.tokens + Math.max(0, ran)) - bytes;
    this.filledAtMs = Math.max(this.filledAtMs, nowMs);
    return this.tokens >= 0 ? 0 : (-1000 * this.tokens) / this.bytesPerSecond;
  }
}
