import { chmod, mkdir, readdir, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { randomUUID } from 'node:crypto';

/** Names of Hone's entries in a data folder. Others belong to the user and stay untouched. */
const OWN = /^(media|copies|exports|previews|tables|backups|children|scratch|hone\.db.*)$/;

/**
 * Makes a data folder that only its owner can read, and tries to write into it. Files of an older Hone lose their
 * permissions for others as well.
 * @throws Error in a sentence when it cannot be written to
 */
export async function makePrivateFolder(folder: string): Promise<void> {
  // Every file that this process or a program it starts makes from now on is its owner's alone.
  process.umask(0o077);
  const probe = join(folder, `write-test-${randomUUID()}`);
  try {
    await mkdir(folder, { recursive: true });
    await writeFile(probe, 'Hone tries whether it can write here.');
    await rm(probe);
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException;
    const why = code === 'ENOSPC' ? 'its drive is full' : (code ?? message);
    throw new Error(
      `The data folder ${folder} cannot be written to (${why}). Make room or make it writable, or choose another folder with HONE_DATA.`,
      { cause: error },
    );
  }
  if (process.platform === 'win32') return;
  await chmod(folder, 0o700);
  for (const entry of await readdir(folder, { withFileTypes: true }))
    if (OWN.test(entry.name)) await takePermissions(join(folder, entry.name), entry.isDirectory());
}

// Private folders protect their files; the files get the same permissions, since a folder may be moved.
async function takePermissions(path: string, isFolder: boolean): Promise<void> {
  await chmod(path, isFolder ? 0o700 : 0o600).catch(() => undefined);
  if (!isFolder) return;
  for (const entry of await readdir(path, { withFileTypes: true }).catch(() => [])) {
    if (entry.isDirectory() || entry.isFile())
      await takePermissions(join(path, entry.name), entry.isDirectory());
  }
}
