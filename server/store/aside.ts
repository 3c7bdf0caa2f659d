import { randomUUID } from 'node:crypto';
import { open, rename, rm } from 'node:fs/promises';

/** Ending of files that are not complete. */
export const ASIDE_ENDING = '.part';

/** Path at which one attempt to write a file works. No two attempts share one, so that neither can damage the other. */
export const attemptPath = (path: string): string => `${path}.${randomUUID().slice(0, 8)}${ASIDE_ENDING}`;

/**
 * Writes a file aside and puts it in its place when it is complete; an attempt that fails leaves nothing.
 * @param write writes to the path that it is given
 * @returns what `write` returned
 */
export async function writeAside<T>(path: string, write: (aside: string) => Promise<T>): Promise<T> {
  const aside = attemptPath(path);
  try {
    const result = await write(aside);
    await flush(aside);
    await rename(aside, path);
    return result;
  } catch (error) {
    await rm(aside, { force: true }).catch(() => undefined);
    throw error;
  }
}

// Without it, a machine that loses power could keep the new name and lose the content.
async function flush(path: string): Promise<void> {
  const file = await open(path, 'r+');
  try {
    await file.datasync();
  } finally {
    await file.close();
  }
}
