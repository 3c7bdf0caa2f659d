import { randomUUID } from 'node:crypto';
import { link, readFile, rename, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { processIdentity } from './identity.js';

/** Owner of a data folder. */
interface Holder {
  readonly pid: number;
  readonly identity: string;
  /** Address of its page, once it is known. */
  readonly url: string | null;
}

export interface FolderLock {
  /** Writes the address of the page into the lock, so that a second server can name it. */
  announce(url: string): Promise<void>;
  release(): Promise<void>;
}

const ATTEMPTS = 5;

/**
 * Takes a data folder for this process alone. A lock that a process left behind by ending is taken over.
 * @throws Error in a sentence that names the other when a running Hone has it
 */
export async function lockFolder(folder: string): Promise<FolderLock> {
  const path = join(folder, 'hone.lock');
  const holder: Holder = { pid: process.pid, identity: (await processIdentity(process.pid))!, url: null };
  const mark = randomUUID();
  const aside = `${path}.${mark}`;
  const text = (url: string | null): string => JSON.stringify({ ...holder, url, mark });
  try {
    for (let attempt = 0; attempt < ATTEMPTS; attempt++) {
      await writeFile(aside, text(null), { mode: 0o600 });
      try {
        // A link is made by one process only, and the file is complete by then.
        await link(aside, path);
        return {
          announce: async (url) => {
            await writeFile(aside, text(url), { mode: 0o600 });
            await rename(aside, path);
          },
          release: async () => {
            if ((await readLock(path))?.mark === mark) await rm(path, { force: true });
          },
        };
      } catch (error) {
        if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error;
      }
      const other = await readLock(path);
      if (other && (await processIdentity(other.pid)) === other.identity) throw inUse(folder, other);
      // Renaming takes the old lock away from under all others that look at it now, and only one succeeds.
      await rename(path, `${aside}.old`).catch(() => undefined);
      await rm(`${aside}.old`, { force: true });
      await sleep(20 * Math.random());
    }
  } finally {
    await rm(aside, { force: true });
  }
  throw new Error(`The data folder ${folder} could not be locked. Stop all other Hones, then start again.`);
}

function inUse(folder: string, { pid, url }: Holder): Error {
  const where = url ? `process ${pid}, at ${url}` : `process ${pid}`;
  return new Error(
    `The data folder ${folder} is in use by another Hone (${where}). Open that one, stop it, or choose another folder with HONE_DATA.`,
  );
}

async function readLock(path: string): Promise<(Holder & { readonly mark: string }) | undefined> {
  const text = await readFile(path, 'utf8').catch(() => undefined);
  if (text === undefined) return undefined;
  try {
    return JSON.parse(text) as Holder & { mark: string };
  } catch {
    return undefined;
  }
}
