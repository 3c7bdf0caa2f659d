import { describe, expect, it } from 'vitest';
import { ReportedFacts, type Reports } from './reported-facts.js';

const REPORTS: Reports = {
  battery: () => Promise.resolve({ hasBattery: true, acConnected: false, isCharging: false }),
  cpuCurrentSpeed: () => Promise.resolve({ max: 3.2 }),
  cpuTemperature: () => Promise.resolve({ main: 71 }),
  fsStats: () => Promise.resolve({ rx: 5e9 }),
  graphics: () =>
    Promise.resolve({ controllers: [{ vendor: 'Maker', model: 'Model', vram: 2048, bus: 'PCI' }] }),
  mem: () => Promise.resolve({ available: 6e9 }),
};
const facts = (other: Partial<Reports> = {}): ReportedFacts => new ReportedFacts({ ...REPORTS, ...other });

describe('facts that a system reports', () => {
  it('are in the units of the rig', async () => {
    const all = facts();
    expect(await all.power()).toBe('battery');
    expect(await all.availableMemory()).toBe(6e9);
    expect(await all.clockMhz()).toBe(3200);
    expect(await all.temperatureC()).toBe(71);
    expect(await all.bytesRead()).toBe(5e9);
    expect(await all.graphics()).toEqual([
      { vendor: 'Maker', device: 'Model', driver: 'PCI', memoryBytes: 2048 * 2 ** 20 },
    ]);
  });

  it('are unknown where the system does not tell, each for itself', async () => {
    const failing = (): Promise<never> => Promise.reject(new Error('not here'));
    const some = facts({
      battery: () => Promise.resolve({ hasBattery: false, acConnected: false, isCharging: false }),
      cpuTemperature: () => Promise.resolve({ main: null }),
      fsStats: () => Promise.resolve(null),
      graphics: failing,
      mem: failing,
    });
    expect(await some.power()).toBe('unknown');
    expect(await some.temperatureC()).toBeNull();
    expect(await some.bytesRead()).toBeNull();
    expect(await some.graphics()).toEqual([]);
    expect(await some.availableMemory()).toBeNull();
    expect(await some.clockMhz()).toBe(3200);
  });

  it('come from the package as it is on this system', async () => {
    expect(await new ReportedFacts().availableMemory()).toBeGreaterThan(1e8);
  });
});
