import { execFile } from 'node:child_process';
import { copyFile, mkdir, readdir, rename, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { promisify } from 'node:util';
import { writeAside } from './aside.js';

/** A database in which SQLite finds damage. */
export class DamagedDatabaseError extends Error {
  override readonly name = 'DamagedDatabaseError';

  constructor(path: string, found: string) {
    super(`The database ${path} is damaged (${found}).`);
  }
}

/** A copy of the database as it was at a time. */
export interface Backup {
  /** Name of its file. */
  readonly id: string;
  readonly madeAt: string;
  readonly bytes: number;
}

/** Backups that are kept; the oldest gives way. */
const MOST_BACKUPS = 6;
const NAME = /^hone-(\d{4}-\d{2}-\d{2}T\d{2})-(\d{2})-(\d{2})\.db$/;
const folderOf = (dataFolder: string): string => join(dataFolder, 'backups');

/** The backups of a data folder, the newest first. */
export async function backupsOf(dataFolder: string): Promise<Backup[]> {
  const names = await readdir(folderOf(dataFolder)).catch(() => []);
  const backups: Backup[] = [];
  for (const id of names) {
    const match = NAME.exec(id);
    const found = match && (await stat(join(folderOf(dataFolder), id)).catch(() => undefined));
    if (found) backups.push({ id, madeAt: `${match[1]}:${match[2]}:${match[3]}Z`, bytes: found.size });
  }
  return backups.sort((a, b) => b.id.localeCompare(a.id));
}

// In a process of its own: copying a large database would hold up everything that this one serves.
const COPY_DATABASE = `
  const { createClient } = await import(process.argv[1]);
  const client = createClient({ url: process.argv[2], timeout: 5000 });
  await client.execute({ sql: 'VACUUM INTO ?', args: [process.argv[3]] });
  client.close();`;

/** Makes a backup of the database, and deletes the oldest ones beyond those that are kept. */
export async function makeBackup(dataFolder: string): Promise<Backup> {
  const folder = folderOf(dataFolder);
  await mkdir(folder, { recursive: true });
  const madeAt = `${new Date().toISOString().slice(0, 19)}Z`;
  const id = `hone-${madeAt.slice(0, -1).replaceAll(':', '-')}.db`;
  const client = fileURLToPath(import.meta.resolve('@libsql/client'));
  await writeAside(join(folder, id), async (aside) => {
    const urls = [pathToFileURL(client).href, pathToFileURL(join(dataFolder, 'hone.db')).href];
    const script = ['--input-type=module', '-e', COPY_DATABASE];
    await promisify(execFile)(process.execPath, [...script, ...urls, aside]);
  });
  for (const old of (await backupsOf(dataFolder)).slice(MOST_BACKUPS)) await rm(join(folder, old.id));
  return { id, madeAt, bytes: (await stat(join(folder, id))).size };
}

/**
 * Puts a backup in the place of the database, or starts with an empty one. The previous file is kept beside it.
 * @param id of a backup, or null for an empty database
 * @returns the path under which the damaged database is kept
 */
export async function restoreBackup(dataFolder: string, id: string | null): Promise<string> {
  const path = join(dataFolder, 'hone.db');
  const backup = id === null ? undefined : (await backupsOf(dataFolder)).find((each) => each.id === id);
  if (id !== null && !backup) throw new Error(`There is no backup ${id}. Choose one that is listed.`);
  const kept = `${path}.damaged-${new Date().toISOString().replaceAll(/[:.]/g, '-')}`;
  for (const ending of ['', '-wal', '-shm'])
    await rename(`${path}${ending}`, `${kept}${ending}`).catch(ignoreMissing);
  if (backup) {
    await writeAside(path, (aside) => copyFile(join(folderOf(dataFolder), backup.id), aside));
  }
  return kept;
}

function ignoreMissing(error: NodeJS.ErrnoException): void {
  if (error.code !== 'ENOENT') throw error;
}

const BACKUP_EVERY_MS = 3_600_000;
/** A backup that is younger is not made again at a start. */
const FRESH_MS = 600_000;

/** Makes backups at the start and every hour. */
export class BackupClock {
  private timer: NodeJS.Timeout | undefined;
  private making: Promise<unknown> = Promise.resolve();

  constructor(
    private readonly dataFolder: string,
    private readonly onFault: (error: unknown) => void,
  ) {}

  async start(): Promise<void> {
    const [newest] = await backupsOf(this.dataFolder);
    if (!newest || Date.now() - Date.parse(newest.madeAt) > FRESH_MS) this.make();
    this.timer = setInterval(() => this.make(), BACKUP_EVERY_MS);
  }

  async stop(): Promise<void> {
    clearInterval(this.timer);
    await this.making;
  }

  private make(): void {
    this.making = makeBackup(this.dataFolder).catch(this.onFault);
  }
}
