import { eq } from 'drizzle-orm';
import type { Database } from './database.js';
import { settings } from './tables.js';

/** Value of a setting of this installation; undefined where it was never set. */
export async function readSetting(database: Database, key: string): Promise<unknown> {
  const [row] = await database.select().from(settings).where(eq(settings.key, key));
  return row?.value;
}

export async function writeSetting(database: Database, key: string, value: unknown): Promise<void> {
  await database
    .insert(settings)
    .values({ key, value })
    .onConflictDoUpdate({ target: settings.key, set: { value } });
}
