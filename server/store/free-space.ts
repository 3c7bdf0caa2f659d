import { statfs } from 'node:fs/promises';

/** Room that is left on a drive for the system and other programs, bytes. */
export const SPARE_BYTES = 200 * 2 ** 20;

/** Bytes that are free on the drive of a folder. */
export async function freeBytes(folder: string): Promise<number> {
  const room = await statfs(folder);
  return room.bavail * room.bsize;
}
