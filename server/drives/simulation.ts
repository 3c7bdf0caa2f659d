import { simulatedDrive } from '@hone/core/machine';
import type { Simulation } from '@hone/core/api';
import type { EventBus } from '../http/events.js';
import { SlowDrive } from './slow-drive.js';

/** Which simulated drive media and caches are read through, if any. Exports never are: they read files themselves. */
export class DriveSimulation {
  private current: SlowDrive | undefined;

  constructor(private readonly bus: EventBus) {}

  get state(): Simulation {
    return { driveId: this.current?.drive.id ?? null };
  }

  get drive(): SlowDrive | undefined {
    return this.current;
  }

  /** @param driveId one of the simulated drives, or null for the real ones */
  choose(driveId: string | null): Simulation {
    const drive = simulatedDrive(driveId);
    this.current = drive && new SlowDrive(drive);
    this.bus.emit({ kind: 'simulation', simulation: this.state });
    return this.state;
  }
}
