import type { Rig } from './rig.js';
import { SIMULATED_RIGS } from './simulated-rigs.js';

/**
 * A rig to predict on until the machine is measured: figures of the simulated machine with the nearest count of cores and
 * no help from graphics, so that they are rather too slow than too fast. Nothing is assumed of its drives.
 */
export function roughRig(machine: Rig['machine']): Rig {
  const distance = (rig: Rig): number => Math.abs(rig.machine.cores - machine.cores);
  const nearest = SIMULATED_RIGS.filter(({ graphics }) => graphics.software).reduce((best, each) =>
    distance(each) < distance(best) ? each : best,
  );
  return {
    ...nearest,
    id: 'rough',
    name: `Like ${nearest.name}`,
    machine: { ...machine, loadByOthers: 0 },
    drives: [],
  };
}
