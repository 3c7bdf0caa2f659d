import { readdir, readFile } from 'node:fs/promises';
import { cpus, totalmem } from 'node:os';
import { join } from 'node:path';
import type { Rig } from '@hone/core/machine';
import { ReportedFacts, type GraphicsDevice } from './reported-facts.js';
import { clockAndHeat, power, usedMemory } from './system.js';

/**
 * Processor, memory and power of the machine, as the system reports them now.
 * @param loadByOthers share of all cores that other programs take, 0 to 1
 */
export async function machineNow(loadByOthers: number): Promise<Rig['machine']> {
  const cores = cpus();
  return {
    model: cores[0]?.model.trim() ?? 'unknown',
    cores: Math.max(1, cores.length),
    memoryBytes: totalmem(),
    freeMemoryBytes: totalmem() - (await usedMemory()),
    power: await power(),
    ...(await clockAndHeat()),
    loadByOthers,
  };
}

const BUS = '/sys/bus/pci/devices';
/** The first two digits of a display controller's class (PCI Code and ID Assignment Specification). */
const DISPLAY = '0x03';

/** Graphics processors that the system has; empty where it does not tell. */
export async function graphicsDevices(): Promise<GraphicsDevice[]> {
  const entries = await readdir(BUS).catch(() => undefined);
  if (!entries) return new ReportedFacts().graphics();
  const found: GraphicsDevice[] = [];
  for (const name of entries) {
    const read = (file: string): Promise<string> =>
      readFile(join(BUS, name, file), 'utf8').then(
        (text) => text.trim(),
        () => '',
      );
    if (!(await read('class')).startsWith(DISPLAY)) continue;
    const driver = /DRIVER=(\S+)/.exec(await read('uevent'))?.[1] ?? null;
    const memoryBytes = largestWindow(await read('resource'));
    found.push({ vendor: await read('vendor'), device: await read('device'), driver, memoryBytes });
  }
  return found;
}

function largestWindow(resource: string): number {
  const sizes = resource.split('\n').map((line) => {
    const [start, end] = line.split(' ').map(Number);
    return start !== undefined && end !== undefined && end > start ? end - start + 1 : 0;
  });
  return Math.max(0, ...sizes);
}
