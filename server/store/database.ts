import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { createClient, type Client } from '@libsql/client';
import { drizzle, type LibSQLDatabase } from 'drizzle-orm/libsql';
import { MIGRATIONS } from './migrations.js';

export type Database = LibSQLDatabase;

/**
 * Opens the database of a data folder, making or bringing up to date what is missing.
 * @throws Error in a sentence when the database was written by a newer Hone
 */
export async function openDatabase(dataFolder: string): Promise<{ database: Database; close: () => void }> {
  mkdirSync(dataFolder, { recursive: true });
  const client = createClient({ url: `file:${join(dataFolder, 'hone.db')}` });
  await client.execute('PRAGMA journal_mode = WAL');
  await client.execute('PRAGMA busy_timeout = 5000');
  await client.execute('PRAGMA foreign_keys = ON');
  await migrate(client);
  return { database: drizzle(client), close: () => client.close() };
}

async function migrate(client: Client): Promise<void> {
  const { rows } = await client.execute('PRAGMA user_version');
  const version = Number(rows[0]?.['user_version'] ?? 0);
  if (version > MIGRATIONS.length) {
    throw new Error(
      `The database was written by a newer Hone (version ${version}, this one knows ${MIGRATIONS.length}). Update Hone, or choose another folder with HONE_DATA.`,
    );
  }
  for (let step = version; step < MIGRATIONS.length; step++) {
    await client.batch([...MIGRATIONS[step]!, `PRAGMA user_version = ${step + 1}`], 'write');
  }
}
