import { setTimeout as sleep } from 'node:timers/promises';
import { TokenBucket, type SimulatedDrive } from '@hone/core/machine';

/** Time over which the bucket may save up: short, so that the rate holds over any second. */
const BURST_SECONDS = 0.02;

/** Makes readers wait as a drive would that is not there. All of them share it. */
export class SlowDrive {
  private readonly bucket: TokenBucket;
  private place = '';

  constructor(readonly drive: SimulatedDrive) {
    const rate = drive.readBytesPerSecond;
    this.bucket = new TokenBucket(rate, rate * BURST_SECONDS, performance.now());
  }

  /** The wait before the first byte of a request. */
  async begin(signal: AbortSignal): Promise<void> {
    await sleep(this.drive.latencyMs, undefined, { signal });
  }

  /** Waits until a piece of a file would have been read; going elsewhere takes its time from everybody. */
  async read(path: string, from: number, bytes: number, signal: AbortSignal): Promise<void> {
    const moves = this.place !== `${path}:${from}`;
    this.place = `${path}:${from + bytes}`;
    const { readBytesPerSecond, seekMs } = this.drive;
    const seek = moves ? (seekMs / 1000) * readBytesPerSecond : 0;
    const waitMs = this.bucket.take(bytes + seek, performance.now());
    if (waitMs >= 1) await sleep(waitMs, undefined, { signal });
  }
}
