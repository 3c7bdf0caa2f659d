import { readdir, rm, stat } from 'node:fs/promises';
import { basename, join } from 'node:path';
import type { CopyStore } from '../copies/copy-store.js';
import type { ExportStore } from '../exports/export-store.js';
import type { JobQueue } from '../jobs/queue.js';
import type { StretchStore } from '../render-cache/stretch-store.js';
import type { SourceStore } from '../media/source-store.js';
import { ASIDE_ENDING } from './aside.js';

interface Sweep {
  readonly dataFolder: string;
  readonly sources: SourceStore;
  readonly copies: CopyStore;
  readonly stretches: StretchStore;
  readonly exports: ExportStore;
  readonly queue: JobQueue;
  /** Called with the error of each file that could not be deleted; the others continue. */
  onFault(error: unknown): void;
}

/**
 * Deletes files without an owner that an earlier server left in the data folder: incomplete files, copies and
 * previews of sources that are gone, scratch files. Records that say "being made" while no job makes them are closed.
 * It is called before anything is made.
 * @returns paths that were removed
 */
export async function sweep({
  dataFolder,
  sources,
  copies,
  stretches,
  exports,
  queue,
  onFault,
}: Sweep): Promise<string[]> {
  const removed: string[] = [];
  const remove = async (path: string): Promise<void> => {
    try {
      await rm(path, { recursive: true, force: true });
      removed.push(path);
    } catch (error) {
      onFault(error);
    }
  };
  const within = (name: string): string => join(dataFolder, name);
  const files = async (folder: string): Promise<string[]> =>
    (await readdir(within(folder)).catch(() => [])).map((name) => join(within(folder), name));

  await remove(within('scratch'));
  for (const path of await unfinished(dataFolder)) await remove(path);

  const keptCopies = new Set((await copies.all()).map(({ path }) => basename(path)));
  for (const path of await files('copies')) if (!keptCopies.has(basename(path))) await remove(path);
  const cached = await stretches.list();
  const keptStretches = new Set(cached.map(({ path }) => basename(path)));
  for (const folder of await stretches.folders.all())
    for (const name of await readdir(folder).catch(() => []))
      if (!keptStretches.has(name)) await remove(join(folder, name));
  const lost: string[] = [];
  for (const { id, path } of cached) if (!(await stat(path).catch(() => undefined))) lost.push(id);
  await stretches.remove(lost);

  const keptSources = new Set([...(await sources.all()), ...(await exports.all())].map(({ id }) => id));
  for (const path of await files('previews')) {
    if (!keptSources.has(basename(path).split('.')[0]!)) await remove(path);
  }
  // Exports stay, also those unknown to a restored backup: they cannot be made again.

  const making = await queue.subjectsInWork();
  for (const row of await copies.all()) {
    if (row.state === 'making' && !making.has(row.id)) await copies.change(row, { state: 'failed' });
    // A copy whose file is gone would be offered and then not play.
    else if (row.state === 'ready' && !(await stat(row.path).catch(() => undefined)))
      await copies.change(row, { state: 'failed' });
  }
  for (const row of await exports.all())
    if (row.state === 'making' && !making.has(row.id)) await exports.change(row, { state: 'failed' });
  return removed;
}

/** Name prefix of files that drives are measured with. */
const MEASURING = '.measure-';

// Files that are written aside, wherever they lie in the folders that are Hone's own.
async function unfinished(dataFolder: string): Promise<string[]> {
  const found: string[] = [];
  const open = ['media', 'copies', 'exports', 'previews', 'tables', 'backups'].map((name) =>
    join(dataFolder, name),
  );
  for (let folder = open.shift(); folder !== undefined; folder = open.shift()) {
    for (const entry of await readdir(folder, { withFileTypes: true }).catch(() => [])) {
      const path = join(folder, entry.name);
      if (entry.isDirectory()) open.push(path);
      else if (entry.name.endsWith(ASIDE_ENDING) || entry.name.startsWith(MEASURING)) found.push(path);
    }
  }
  return found;
}
