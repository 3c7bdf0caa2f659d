import { realpath, stat } from 'node:fs/promises';
import { homedir } from 'node:os';
import { isAbsolute, join, parse } from 'node:path';
import { isWithin } from '../drives/path-within.js';
import type { Config } from '../config.js';
import { UserError } from '../http/problems.js';
import type { Database } from '../store/database.js';
import { readSetting, writeSetting } from '../store/settings.js';

const ADDED = 'mediaFolders';

/**
 * The folders that Hone may read media from: those of its settings, and those that the user added in the interface,
 * which survive a restart.
 */
export class MediaFolders {
  private constructor(
    private readonly configured: readonly string[],
    private readonly uploadFolder: string,
    private readonly database: Database,
    private added: readonly string[],
  ) {}

  static async open(
    { mediaFolders, dataFolder }: Pick<Config, 'mediaFolders' | 'dataFolder'>,
    database: Database,
  ): Promise<MediaFolders> {
    const kept = await readSetting(database, ADDED);
    const added = Array.isArray(kept) ? kept.filter((path) => typeof path === 'string') : [];
    return new MediaFolders(mediaFolders, join(dataFolder, 'media'), database, added);
  }

  /** Paths as they were configured or added; some may not be there now. */
  readonly paths = (): readonly string[] => [...this.configured, ...this.added];

  /** Those that people choose from: without the folder that uploads go to. */
  listed(): readonly string[] {
    return this.paths().filter((path) => path !== this.uploadFolder);
  }

  isAdded(path: string): boolean {
    return this.added.includes(path);
  }

  /**
   * Adds a folder. One inside a media folder is in reach already and is not added.
   * @returns its real path
   * @throws UserError when it is no folder that Hone can open, or is a whole system drive
   */
  async add(path: string): Promise<string> {
    if (!isAbsolute(path)) throw refusal(path, 'is no whole path. Write it from the root of the drive on');
    const real = await realpath(path).catch(() => undefined);
    if (real === undefined || !(await stat(real)).isDirectory())
      throw refusal(
        path,
        'is no folder that Hone can open. Check the path and whether its drive is connected',
      );
    if (real === parse(homedir()).root)
      throw refusal(path, 'is the whole system drive. Name the folder on it that holds footage');
    if (!this.paths().some((each) => isWithin(real, each))) await this.keep([...this.added, real]);
    return real;
  }

  /** Takes away a folder that was added. Sources in it wait until it is added again. */
  async remove(path: string): Promise<void> {
    await this.keep(this.added.filter((each) => each !== path));
  }

  private async keep(added: readonly string[]): Promise<void> {
    await writeSetting(this.database, ADDED, added);
    this.added = added;
  }
}

const refusal = (path: string, why: string): UserError =>
  new UserError(400, 'No media folder', `"${path}" ${why}.`);
