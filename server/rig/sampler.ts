import { mean } from 'd3-array';
import type { Power, RunSample } from '@hone/core/playback';
import { ExternalLoadMonitor, type Connection } from './external-load.js';
import {
  busyShares,
  bytesRead,
  coreTimes,
  graphicsBusyShare,
  power,
  usedMemory,
  type CoreTimes,
} from './system.js';

const EVERY_MS = 250;
/** Time after which sampling ends by itself. */
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
  private readonly others = new ExternalLoadMonitor();

  /** Begins anew. @param connection of the page that plays */
  async start(connection?: Connection): Promise<void> {
    this.stop();
    this.samples = [];
    this.startedAt = Date.now();
    this.before = { cores: coreTimes(), read: await bytesRead(), at: performance.now() };
    this.power = await power();
    await this.others.start(connection);
    this.timer = setInterval(() => void this.take(), EVERY_MS);
    this.timer.unref();
  }

  stop(): void {
    clearInterval(this.timer);
    this.timer = undefined;
  }

  /** Share of all cores that was busy in the last sample, 0 to 1; null while nothing is sampled. */
  coreShare(): number | null {
    const last = this.timer && this.samples.at(-1);
    return last ? (mean(last.cores) ?? null) : null;
  }

  /** Samples since a moment, ms of the epoch. */
  since(pressedAt: number): RunSample[] {
    return this.samples
      .filter(({ at }) => at >= pressedAt)
      .map(({ at, ...sample }) => ({ atMs: at - pressedAt, ...sample }));
  }

  /** Share of all cores that others took since the start, 0 to 1; null where the system does not tell. */
  async othersShare(): Promise<number | null> {
    return this.others.share();
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
      graphicsShare: await graphicsBusyShare(),
    });
  }
}
