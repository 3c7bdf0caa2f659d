import { usualCeiling, LOWEST_CEILING, type Rig } from '@hone/core/machine';
import type { MachineLimits } from '@hone/core/api';
import { eq } from 'drizzle-orm';
import { totalmem } from 'node:os';
import { notFound, UserError } from '../http/problems.js';
import type { Database } from '../store/database.js';
import { readSetting, writeSetting } from '../store/settings.js';
import { rigs } from '../store/tables.js';

/** The rig that was measured here has this identifier. */
export const OWN_RIG = 'own';
const CEILING = 'memoryCeiling';

/** Rigs that were measured or loaded, and what Hone may take of this machine. */
export class RigStore {
  constructor(private readonly database: Database) {}

  async own(): Promise<Rig | null> {
    const [row] = await this.database.select().from(rigs).where(eq(rigs.id, OWN_RIG));
    return row?.rig ?? null;
  }

  async loaded(): Promise<Rig[]> {
    return (await this.database.select().from(rigs)).filter(({ id }) => id !== OWN_RIG).map(({ rig }) => rig);
  }

  async keep(rig: Rig): Promise<Rig> {
    await this.database
      .insert(rigs)
      .values({ id: rig.id, rig })
      .onConflictDoUpdate({ target: rigs.id, set: { rig } });
    return rig;
  }

  /** @throws UserError when there is no such rig */
  async remove(id: string): Promise<void> {
    const removed = await this.database.delete(rigs).where(eq(rigs.id, id)).returning({ id: rigs.id });
    if (removed.length === 0) throw notFound('This rig');
  }

  async limits(): Promise<MachineLimits> {
    const kept = await readSetting(this.database, CEILING);
    const memoryCeilingBytes = typeof kept === 'number' ? kept : usualCeiling(totalmem());
    return { memoryCeilingBytes, memoryBytes: totalmem() };
  }

  /** @throws UserError when it is too low to play anything, or more than there is */
  async setCeiling(bytes: number): Promise<void> {
    if (bytes < LOWEST_CEILING || bytes > totalmem()) {
      // Rounded inwards, so that the limit in the message is a valid value.
      const least = `${(Math.ceil(LOWEST_CEILING / 1e8) / 10).toFixed(1)} GB`;
      const most = `${(Math.floor(totalmem() / 1e8) / 10).toFixed(1)} GB`;
      const detail = `Hone can be held to between ${least} and ${most} of memory.`;
      throw new UserError(400, 'No such ceiling', detail);
    }
    await writeSetting(this.database, CEILING, bytes);
  }
}
