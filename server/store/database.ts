import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { createClient, type Client } from '@libsql/client';
import { drizzle, type LibSQLDatabase } from 'drizzle-orm/libsql';
import { DamagedDatabaseError } from './backups.js';
import { MIGRATIONS } from './migrations.js';
import { patient } from './patient-client.js';

export type Database = LibSQLDatabase;

export const databaseFile = (dataFolder: string): string => join(dataFolder, 'hone.db');

/**
 * Opens the database of a data folder; creates and migrates it as needed.
 * @throws DamagedDatabaseError when SQLite finds it damaged
 * @throws Error in a sentence when the database was written by a newer Hone
 */
export async function openDatabase(dataFolder: string): Promise<{ database: Database; close: () => void }> {
  mkdirSync(dataFolder, { recursive: true });
  const path = databaseFile(dataFolder);
  // One connection: what a pragma sets holds for every statement. SQLite itself does not wait for other processes, since
  // it would hold up this process's event loop; the client around it does.
  const client = patient(createClient({ url: pathToFileURL(path).href, concurrency: 1, timeout: 0 }));
  try {
    await client.execute('PRAGMA journal_mode = WAL');
    await client.execute('PRAGMA foreign_keys = ON');
    const { rows } = await client.execute('PRAGMA quick_check(1)');
    const found = rows[0]?.['quick_check'];
    if (found !== 'ok') throw new DamagedDatabaseError(path, typeof found === 'string' ? found : 'no answer');
    await migrate(client);
  } catch (error) {
    client.close();
    const { code } = error as { code?: unknown };
    throw typeof code === 'string' && /^SQLITE_(CORRUPT|NOTADB)/.test(code)
      ? new DamagedDatabaseError(path, code)
      : error;
  }
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
    const migration = MIGRATIONS[step]!;
    const statements = typeof migration === 'function' ? await migration(client) : migration;
    await client.batch([...statements, `PRAGMA user_version = ${step + 1}`], 'write');
  }
}
