import type { Power, RunSample } from '@hone/core/playback';
import { busyShares, bytesRead, coreTimes, power, usedMemory, type CoreTimes } from './system.js';

const EVERY_MS = 250;
/** Sampling that nobody ends stops by itself. */
const LONGEST_MS = 2 * 3600_000;

interface Sample extends Omit<RunSample, 'atMs'> {
  /** ms of the epoch. */
  readonly at: number;
}

/** Looks at the machine while something plays. */
export class Sampler {
  private samples: Sample[] = [];
  private timer: NodeJS.Timeout | undefined;
  private startedAt = 0;
  private before: { cores: CoreTimes; read: number | null; at: number } | undefined;
  private power: Power = 'unknown';

  /** Begins anew. */
  async start(): Promise<void> {
    this.stop();
    this.samples = [];
    this.startedAt = Date.now();
    this.before = { cores: coreTimes(), read: await bytesRead(), at: performance.now() };
    this.power = await power();
    this.timer = setInterval(() => void this.take(), EVERY_MS);
    this.timer.unref();
  }

  stop(): void {
    clearInterval(this.timer);
    this.timer = undefined;
  }

  /** Samples since a moment, ms of the epoch. */
  since(pressedAt: number): RunSample[] {
    return this.samples
      .filter(({ at }) => at >= pressedAt)
      .map(({ at, ...sample }) => ({ atMs: at - pressedAt, ...sample }));
  }

  private async take(): Promise<void> {
    const { before } = this;
    if (!before) return;
    if (Date.now() - this.startedAt > LONGEST_MS) {
      this.stop();
      return;
    }
    const now = { cores: coreTimes(), read: await bytesRead(), at: performance.now() };
    this.before = now;
    const seconds = (now.at - before.at) / 1000;
    const wasRead = now.read === null || before.read === null ? null : (now.read - before.read) / seconds;
    this.samples.push({
      at: Date.now(),
      cores: busyShares(before.cores, now.cores).map((share) => Number(share.toFixed(3))),
      readBytesPerSecond: wasRead === null ? null : Math.round(wasRead),
      usedMemoryBytes: await usedMemory(),
      serverMemoryBytes: process.memoryUsage.rss(),
      power: this.power,
    });
  }
}
