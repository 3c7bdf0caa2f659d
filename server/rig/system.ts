import { readdir, readFile } from 'node:fs/promises';
import { cpus, freemem, totalmem } from 'node:os';
import { join } from 'node:path';
import type { Power } from '@hone/core/playback';
import { ReportedFacts } from './reported-facts.js';

const text = (path: string): Promise<string | undefined> =>
  readFile(path, 'utf8').then(
    (found) => found.trim(),
    () => undefined,
  );

/** Busy and total time of each core, in the system's unit. */
export type CoreTimes = readonly { readonly busy: number; readonly all: number }[];

export function coreTimes(): CoreTimes {
  return cpus().map(({ times }) => {
    const all = times.user + times.nice + times.sys + times.idle + times.irq;
    return { busy: all - times.idle, all };
  });
}

/** Share of each core that was busy between two readings, 0 to 1. */
export function busyShares(before: CoreTimes, after: CoreTimes): number[] {
  return after.map(({ busy, all }, core) => {
    const earlier = before[core] ?? { busy: 0, all: 0 };
    const passed = all - earlier.all;
    return passed > 0 ? Math.min(1, Math.max(0, (busy - earlier.busy) / passed)) : 0;
  });
}

/** Where the system has no files of the kind that Linux has. */
const reported = new ReportedFacts();

/** Bytes that all drives have read since the system started; null where it does not tell. */
export async function bytesRead(): Promise<number | null> {
  const stats = await text('/proc/diskstats');
  if (stats === undefined) return reported.bytesRead();
  let sectors = 0;
  for (const line of stats.split('\n')) {
    const [, , name, , , read] = line.trim().split(/\s+/);
    // Parts of a drive are counted with the drive.
    if (!name || /^(loop|ram|dm-|md|zram)/.test(name) || /^(sd[a-z]+|vd[a-z]+|xvd[a-z]+)\d+$/.test(name))
      continue;
    if (/^(nvme\d+n\d+|mmcblk\d+)p\d+$/.test(name)) continue;
    sectors += Number(read ?? 0);
  }
  // A sector of this table has 512 bytes on every drive (proc(5)).
  return 512 * sectors;
}

/** Memory that is not to be had any more, bytes. */
export async function usedMemory(): Promise<number> {
  const table = await text('/proc/meminfo');
  if (table === undefined) return totalmem() - ((await reported.availableMemory()) ?? freemem());
  const available = /MemAvailable:\s+(\d+) kB/.exec(table)?.[1];
  return totalmem() - (available === undefined ? freemem() : 1024 * Number(available));
}

/**
 * Share of the time in which the busiest graphics processor worked, 0 to 1; null where the system does not tell. Linux does
 * for drivers that give `gpu_busy_percent` (kernel documentation, amdgpu).
 */
export async function graphicsBusyShare(folder = '/sys/class/drm'): Promise<number | null> {
  const cards = (await readdir(folder).catch(() => [])).filter((name) => /^card\d+$/.test(name));
  const shares = await Promise.all(
    cards.map(async (card) => Number((await text(join(folder, card, 'device', 'gpu_busy_percent'))) ?? NaN)),
  );
  const known = shares.filter((percent) => percent >= 0 && percent <= 100);
  return known.length ? Math.max(...known) / 100 : null;
}

const SUPPLIES = '/sys/class/power_supply';

export async function power(): Promise<Power> {
  const supplies = await readdir(SUPPLIES).catch(() => undefined);
  if (!supplies) return reported.power();
  let battery = false;
  for (const supply of supplies) {
    const type = await text(join(SUPPLIES, supply, 'type'));
    if (type === 'Mains' && (await text(join(SUPPLIES, supply, 'online'))) === '1') return 'mains';
    if (type === 'Battery') {
      const status = await text(join(SUPPLIES, supply, 'status'));
      if (status === 'Charging' || status === 'Full') return 'mains';
      battery ||= status === 'Discharging';
    }
  }
  return battery ? 'battery' : 'unknown';
}

/** Clock of the fastest core now, MHz, and the hottest place, degrees Celsius; null where the system does not tell. */
export async function clockAndHeat(): Promise<{ clockMhz: number | null; temperatureC: number | null }> {
  const table = await text('/proc/cpuinfo');
  if (table === undefined)
    return { clockMhz: await reported.clockMhz(), temperatureC: await reported.temperatureC() };
  const clocks = [...table.matchAll(/^cpu MHz\s*:\s*([\d.]+)/gm)];
  const zones = await readdir('/sys/class/thermal').catch(() => []);
  const heats: number[] = [];
  for (const zone of zones.filter((name) => name.startsWith('thermal_zone'))) {
    const value = Number((await text(join('/sys/class/thermal', zone, 'temp'))) ?? NaN);
    if (Number.isFinite(value) && value > 0) heats.push(value / 1000);
  }
  return {
    clockMhz: clocks.length ? Math.max(...clocks.map(([, value]) => Number(value))) : null,
    temperatureC: heats.length ? Math.max(...heats) : null,
  };
}

/** Load of the machine over a short while in which Hone does nothing itself, 0 to 1. */
export async function loadOver(ms: number): Promise<number> {
  const before = coreTimes();
  await new Promise((resolve) => setTimeout(resolve, ms));
  const shares = busyShares(before, coreTimes());
  return shares.reduce((sum, share) => sum + share, 0) / Math.max(1, shares.length);
}
