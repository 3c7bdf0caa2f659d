import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createClient } from '@libsql/client';
import { sql } from 'drizzle-orm';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { openDatabase } from './database.js';
import { keepEffectOrder } from './effect-order.js';
import { MIGRATIONS } from './migrations.js';

describe('the database', () => {
  let folder: string;

  beforeEach(async () => {
    folder = await mkdtemp(join(tmpdir(), 'hone-database-'));
  });

  afterEach(() => rm(folder, { recursive: true }));

  const statementsOf = (step: number): readonly string[] => {
    const migration = MIGRATIONS[step]!;
    if (typeof migration === 'function') throw new TypeError(`Step ${step} is no list of statements.`);
    return migration;
  };

  const client = () => createClient({ url: `file:${join(folder, 'hone.db')}` });

  it('of an older Hone is brought up to date without losing anything', async () => {
    const old = client();
    await old.batch([...statementsOf(0), 'PRAGMA user_version = 1'], 'write');
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

  it('lists effects in the order in which they acted before the list decided', async () => {
    const old = client();
    const before = MIGRATIONS.indexOf(keepEffectOrder);
    for (let step = 0; step < before; step++) await old.batch([...statementsOf(step)], 'write');
    await old.execute(`PRAGMA user_version = ${before}`);
    const { rows: columns } = await old.execute('PRAGMA table_info(projects)');
    const names = columns.map((column) => String(column['name']));
    const effects = ['transform', 'title', 'mask', 'exposure', 'denoise'].map((kind) => ({ kind, id: kind }));
    const timeline = { name: 'kept', tracks: [{ clips: [{ id: 'a', effects }, { id: 'b' }] }] };
    const values = names.map((name) => (name === 'timeline' ? JSON.stringify(timeline) : '{}'));
    const marks = names.map(() => '?').join(', ');
    await old.execute({ sql: `INSERT INTO projects (${names.join(', ')}) VALUES (${marks})`, args: values });
    old.close();

    const { database, close } = await openDatabase(folder);
    const kept = await database.get<{ timeline: string }>(sql`SELECT timeline FROM projects`);
    const read = JSON.parse(kept.timeline) as typeof timeline;
    expect(read.tracks[0]!.clips[0]!.effects!.map(({ kind }) => kind)).toEqual([
      'denoise',
      'title',
      'exposure',
      'mask',
      'transform',
    ]);
    expect(read.tracks[0]!.clips[1]).toEqual({ id: 'b' });
    expect(read.name).toBe('kept');
    close();
  });

  it('of a newer Hone is left as it is, with what to do', async () => {
    const newer = client();
    await newer.execute(`PRAGMA user_version = ${MIGRATIONS.length + 1}`);
    newer.close();
    await expect(openDatabase(folder)).rejects.toThrow(/newer Hone.*Update Hone/);
  });
});
