import { mkdir, rm, stat, writeFile } from 'node:fs/promises';
import { isAbsolute, join, normalize } from 'node:path';
import { UserError } from '../http/problems.js';
import { attemptPath } from '../store/aside.js';
import type { Database } from '../store/database.js';
import { readSetting, writeSetting } from '../store/settings.js';

const CHOSEN = 'renderCacheFolder';
const USED = 'renderCacheFolders';
/** Folder that Hone makes in a chosen one: whatever lies in it is its own. */
const SUBFOLDER = 'hone-render-cache';

/** Where the files of the render cache are put. */
export interface CacheFolder {
  readonly folder: string;
  /** The chosen folder, there or not; null for none. */
  readonly chosen: string | null;
}

/** Folders of the render cache: Hone's own, and those that were chosen. */
export class CacheFolders {
  constructor(
    private readonly database: Database,
    private readonly own: string,
  ) {}

  /** Folder for new files: the chosen one, or Hone's own while that is not there. */
  async current(): Promise<CacheFolder> {
    const chosen = await readSetting(this.database, CHOSEN);
    if (typeof chosen !== 'string') return { folder: this.own, chosen: null };
    return { folder: (await isFolder(chosen)) ? chosen : this.own, chosen };
  }

  /** All folders in which there may be files. */
  async all(): Promise<string[]> {
    const used = await readSetting(this.database, USED);
    return [this.own, ...(Array.isArray(used) ? used.map(String) : [])];
  }

  /**
   * Puts new files into a folder of Hone's in another one. Files that are there already stay where they are.
   * @param parent null for Hone's own folder
   * @throws UserError 422 when nothing can be written there
   */
  async choose(parent: string | null): Promise<void> {
    if (parent === null) return writeSetting(this.database, CHOSEN, null);
    const remedy = 'Choose a folder that is there and that you can write to.';
    const refused = (why: string): UserError => new UserError(422, 'Folder not usable', `${why} ${remedy}`);
    if (!isAbsolute(parent)) throw refused(`"${parent}" is no whole path.`);
    if (!(await isFolder(parent))) throw refused(`There is no folder "${parent}".`);
    const folder = join(normalize(parent), SUBFOLDER);
    try {
      await mkdir(folder, { recursive: true });
      const probe = attemptPath(join(folder, 'probe'));
      await writeFile(probe, 'x');
      await rm(probe);
    } catch (error) {
      const code = error instanceof Error && 'code' in error ? String(error.code) : String(error);
      throw refused(`Nothing can be written into "${parent}" (${code}).`);
    }
    const used = (await this.all()).slice(1);
    await writeSetting(this.database, USED, [...new Set([...used, folder])]);
    await writeSetting(this.database, CHOSEN, folder);
  }
}

const isFolder = (path: string): Promise<boolean> =>
  stat(path).then(
    (found) => found.isDirectory(),
    () => false,
  );
