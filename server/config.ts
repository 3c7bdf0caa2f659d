import { existsSync } from 'node:fs';
import { homedir } from 'node:os';
import { delimiter, join, resolve } from 'node:path';

/** Settings from the environment. */
export interface Config {
  readonly port: number;
  /** Folder of the database, uploads, copies and exports. */
  readonly dataFolder: string;
  /** Folders that media may be chosen from; uploads go to a folder of the data folder. */
  readonly mediaFolders: readonly string[];
  readonly ffmpeg: string;
  readonly ffprobe: string;
  /** Folder of the built interface. */
  readonly webFolder: string;
  /** Folder of the player's workers and kernels. */
  readonly playerFolder: string;
  /** An origin besides the server's own that may use it: the development server's. */
  readonly extraOrigin: string | undefined;
  readonly logLevel: string;
  /** Whether a machine that is not known is measured without being asked. */
  readonly measuresItself: boolean;
  /** Whether a browser needs the token of the printed address. */
  readonly asksForToken: boolean;
}

/**
 * @param env PORT, HONE_DATA, HONE_MEDIA (folders, separated as in PATH), HONE_FFMPEG, HONE_FFPROBE, HONE_LOG,
 *   HONE_MEASURE ("asked": the machine is measured only on request), HONE_TOKEN ("on": the printed address carries a
 *   token that every request needs)
 * @param root folder of the repository
 * @throws RangeError when the port is not one
 */
export function configFrom(env: NodeJS.ProcessEnv, root: string): Config {
  const port = Number(env['PORT'] ?? 4310);
  if (!Number.isInteger(port) || port < 0 || port > 65_535) {
    throw new RangeError(`PORT must be a number from 0 to 65535, but is "${env['PORT']}".`);
  }
  const dataFolder = resolve(env['HONE_DATA'] ?? join(root, '.hone'));
  const chosen = (env['HONE_MEDIA'] ?? '')
    .split(delimiter)
    .filter(Boolean)
    .map((path) => resolve(path));
  const usual = ['Videos', 'Movies', 'Footage'].map((name) => join(homedir(), name)).filter(existsSync);
  return {
    port,
    dataFolder,
    mediaFolders: [...new Set([join(dataFolder, 'media'), ...(chosen.length ? chosen : usual)])],
    ffmpeg: env['HONE_FFMPEG'] ?? 'ffmpeg',
    ffprobe: env['HONE_FFPROBE'] ?? 'ffprobe',
    webFolder: join(root, 'web', 'dist', 'browser'),
    playerFolder: join(root, 'player', 'dist', 'assets'),
    extraOrigin: env['HONE_DEV_ORIGIN'],
    logLevel: env['HONE_LOG'] ?? 'warn',
    measuresItself: env['HONE_MEASURE'] !== 'asked',
    asksForToken: env['HONE_TOKEN'] === 'on',
  };
}
