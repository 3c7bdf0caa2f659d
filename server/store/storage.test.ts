import { copyFile, mkdtemp, open, readdir, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { sql } from 'drizzle-orm';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { writeAside } from './aside.js';
import { backupsOf, DamagedDatabaseError, makeBackup, restoreBackup } from './backups.js';
import { openDatabase } from './database.js';
import { makePrivateFolder } from './private-folder.js';
import { storageProblem } from './storage-problem.js';

let folder: string;

beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'hone #1? 100% '));
});

afterEach(() => rm(folder, { recursive: true, force: true }));

describe('a file that is written aside', () => {
  it('is there when it is complete, and leaves nothing when it failed', async () => {
    const path = join(folder, 'a.mp4');
    await writeAside(path, (aside) => writeFile(aside, 'whole'));
    const failed = writeAside(path, async (aside) => {
      await writeFile(aside, 'hal');
      throw new Error('The drive is full.');
    });
    await expect(failed).rejects.toThrow('The drive is full.');
    expect(await readFile(path, 'utf8')).toBe('whole');
    expect(await readdir(folder)).toEqual(['a.mp4']);
  });

  it('is written by each attempt in a place of its own', async () => {
    const places: string[] = [];
    const write = (aside: string): Promise<void> => {
      places.push(aside);
      return writeFile(aside, aside);
    };
    const path = join(folder, 'b');
    await Promise.all([writeAside(path, write), writeAside(path, write)]);
    expect(new Set(places).size).toBe(2);
    expect(places).toContain(await readFile(path, 'utf8'));
  });
});

describe('a damaged database', () => {
  const damage = async (): Promise<void> => {
    const file = await open(join(folder, 'hone.db'), 'r+');
    const { size } = await file.stat();
    // The pages behind the first: their kinds are no kinds of pages then (SQLite's file format, section 1.6).
    await file.write(Buffer.alloc(size - 4096, 0xaa), 0, size - 4096, 4096);
    await file.close();
  };
  const insert = sql`INSERT INTO settings (key, value) VALUES ('kept', '"yes"')`;

  it('is found at the start, and its last backup brings back what was in it', async () => {
    const first = await openDatabase(folder);
    await first.database.run(insert);
    await first.database.run(sql`PRAGMA wal_checkpoint(TRUNCATE)`);
    const backup = await makeBackup(folder);
    first.close();
    await damage();
    await expect(openDatabase(folder)).rejects.toThrow(DamagedDatabaseError);
    expect(await backupsOf(folder)).toEqual([backup]);
    const kept = await restoreBackup(folder, backup.id);
    expect((await stat(kept)).size).toBeGreaterThan(0);
    const second = await openDatabase(folder);
    expect(await second.database.all(sql`SELECT value FROM settings`)).toEqual([{ value: '"yes"' }]);
    second.close();
  });

  it('gives way to an empty one where somebody wants that', async () => {
    await writeFile(
      join(folder, 'hone.db'),
      'this is no database at all, but some other file of some length',
    );
    await expect(openDatabase(folder)).rejects.toThrow(DamagedDatabaseError);
    await expect(restoreBackup(folder, '../hone.db')).rejects.toThrow(/no backup/);
    await restoreBackup(folder, null);
    (await openDatabase(folder)).close();
  });

  it('has few backups, the newest of them', async () => {
    (await openDatabase(folder)).close();
    const { id } = await makeBackup(folder);
    for (let day = 1; day <= 9; day++)
      await copyFile(
        join(folder, 'backups', id),
        join(folder, 'backups', `hone-2020-01-0${day}T00-00-00.db`),
      );
    const newest = await makeBackup(folder);
    const backups = await backupsOf(folder);
    expect(backups).toHaveLength(6);
    expect(backups[0]).toEqual(newest);
    expect(backups.at(-1)!.madeAt >= '2020-01-05').toBe(true);
  });
});

describe('a data folder', () => {
  it.runIf(process.platform !== 'win32')(
    'is its owner’s alone, and so is what an older Hone left in it',
    async () => {
      const data = join(folder, 'data');
      await makePrivateFolder(data);
      await writeFile(join(data, 'hone.db'), '', { mode: 0o644 });
      await writeFile(join(data, 'not ours'), '');
      const { chmod } = await import('node:fs/promises');
      await chmod(join(data, 'hone.db'), 0o644);
      await chmod(join(data, 'not ours'), 0o755);
      await makePrivateFolder(data);
      const mode = async (path: string): Promise<number> => (await stat(path)).mode & 0o777;
      expect(await mode(data)).toBe(0o700);
      expect(await mode(join(data, 'hone.db'))).toBe(0o600);
      expect(await mode(join(data, 'not ours'))).toBe(0o755);
    },
  );

  it('that cannot be written to is said with what to do', async () => {
    await writeFile(join(folder, 'a file'), '');
    await expect(makePrivateFolder(join(folder, 'a file', 'data'))).rejects.toThrow(
      /cannot be written to.*HONE_DATA/,
    );
  });
});

describe('a fault of the storage', () => {
  const problem = (code: string, more: object = {}) =>
    storageProblem(Object.assign(new Error('x'), { code, ...more }), '/data');

  it('is told with its place and what to do', () => {
    expect(problem('ENOSPC', { path: '/media/card/a' })).toMatchObject({
      status: 507,
      detail: expect.stringMatching(/no space left at \/media\/card\/a.*Free some space/) as string,
    });
    expect(problem('SQLITE_FULL')).toMatchObject({ status: 507 });
    expect(problem('SQLITE_BUSY')).toMatchObject({ status: 503, title: 'Database busy' });
    expect(problem('EROFS')).toMatchObject({ status: 503, title: 'Storage is read-only' });
    expect(problem('SQLITE_CORRUPT')).toMatchObject({ status: 503, title: 'Database damaged' });
    expect(storageProblem(new Error('x', { cause: { code: 'SQLITE_FULL' } }), '/data')).toMatchObject({
      status: 507,
    });
    expect(problem('ERR_ASSERTION')).toBeUndefined();
    expect(storageProblem(undefined, '/data')).toBeUndefined();
  });
});
