import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createClient } from '@libsql/client';
import { sql } from 'drizzle-orm';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { openDatabase } from './database.js';
import { MIGRATIONS } from './migrations.js';

describe('the database', () => {
  let folder: string;

  beforeEach(async () => {
    folder = await mkdtemp(join(tmpdir(), 'hone-database-'));
  });

  afterEach(() => rm(folder, { recursive: true }));

  const client = () => createClient({ url: `file:${join(folder, 'hone.db')}` });

  it('of an older Hone is brought up to date without losing anything', async () => {
    const old = client();
    await old.batch([...MIGRATIONS[0]!, 'PRAGMA user_version = 1'], 'write');
    const { rows: columns } = await old.execute('PRAGMA table_info(projects)');
    const names = columns.map((column) => String(column['name']));
    const values = names.map((name) => (name === 'revision' ? 7 : name === 'name' ? 'The mill' : '{}'));
    const marks = names.map(() => '?').join(', ');
    await old.execute({ sql: `INSERT INTO projects (${names.join(', ')}) VALUES (${marks})`, args: values });
    old.close();

    const { database, close } = await openDatabase(folder);
    const kept = await database.get<{ name: string; revision: number; filters: string }>(
      sql`SELECT name, revision, filters FROM projects`,
    );
    expect(kept).toEqual({ name: 'The mill', revision: 7, filters: '[]' });
    const [version] = await database.all<{ user_version: number }>(sql`PRAGMA user_version`);
    expect(version!.user_version).toBe(MIGRATIONS.length);
    close();
  });

  it('of a newer Hone is left as it is, with what to do', async () => {
    const newer = client();
    await newer.execute(`PRAGMA user_version = ${MIGRATIONS.length + 1}`);
    newer.close();
    await expect(openDatabase(folder)).rejects.toThrow(/newer Hone.*Update Hone/);
  });
});
