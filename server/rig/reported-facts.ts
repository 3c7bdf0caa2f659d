import type { Power } from '@hone/core/playback';
import { battery, cpuCurrentSpeed, cpuTemperature, fsStats, graphics, mem } from 'systeminformation';

/** A graphics processor on the machine's bus. */
export interface GraphicsDevice {
  /** As the bus numbers its maker. */
  readonly vendor: string;
  readonly device: string;
  readonly driver: string | null;
  /** Memory of its own that the bus shows, bytes: a separate card has much, an integrated one little. */
  readonly memoryBytes: number;
}

/** The calls of the package that facts come from; tests put others in their place. */
export interface Reports {
  readonly battery: () => Promise<{ hasBattery: boolean; acConnected: boolean; isCharging: boolean }>;
  readonly cpuCurrentSpeed: () => Promise<{ max: number }>;
  readonly cpuTemperature: () => Promise<{ main: number | null }>;
  readonly fsStats: () => Promise<{ rx: number | null } | null>;
  readonly graphics: () => Promise<{
    controllers: { vendor: string; model: string; vram: number | null; bus: string }[];
  }>;
  readonly mem: () => Promise<{ available: number }>;
}

const PACKAGE: Reports = { battery, cpuCurrentSpeed, cpuTemperature, fsStats, graphics, mem };
const MIB = 2 ** 20;

/**
 * Facts of the machine on systems whose own files Hone does not read, through the package systeminformation. What a
 * system does not tell is null or unknown, and a fact that fails leaves the others alone.
 */
export class ReportedFacts {
  constructor(private readonly reports: Reports = PACKAGE) {}

  async power(): Promise<Power> {
    const found = await this.reports.battery().catch(() => null);
    if (!found?.hasBattery) return 'unknown';
    return found.acConnected || found.isCharging ? 'mains' : 'battery';
  }

  async availableMemory(): Promise<number | null> {
    return positive((await this.reports.mem().catch(() => null))?.available);
  }

  async clockMhz(): Promise<number | null> {
    const ghz = positive((await this.reports.cpuCurrentSpeed().catch(() => null))?.max);
    return ghz === null ? null : 1000 * ghz;
  }

  async temperatureC(): Promise<number | null> {
    return positive((await this.reports.cpuTemperature().catch(() => null))?.main);
  }

  /** Bytes that all drives have read since the system started. */
  async bytesRead(): Promise<number | null> {
    return positive((await this.reports.fsStats().catch(() => null))?.rx);
  }

  async graphics(): Promise<GraphicsDevice[]> {
    const found = await this.reports.graphics().catch(() => ({ controllers: [] }));
    return found.controllers.map(({ vendor, model, vram, bus }) => ({
      ...{ vendor, device: model, driver: bus || null },
      memoryBytes: (vram ?? 0) * MIB,
    }));
  }
}

const positive = (value: number | null | undefined): number | null =>
  typeof value === 'number' && Number.isFinite(value) && value > 0 ? value : null;
