import { statfs } from 'node:fs/promises';
import { UserError } from '../http/problems.js';

/** Room that is left on a drive for the system and other programs, bytes. */
const SPARE_BYTES = 200 * 2 ** 20;

/** Bytes that are free on the drive of a folder. */
export async function freeBytes(folder: string): Promise<number> {
  const room = await statfs(folder);
  return room.bavail * room.bsize;
}

/**
 * @param what the sentence's subject and verb: what takes the room
 * @param remedy what the user can do
 * @throws UserError 507 when bytes do not fit on the drive of a folder
 */
export async function requireRoom(
  folder: string,
  bytes: number,
  what: string,
  remedy: string,
): Promise<void> {
  const free = await freeBytes(folder);
  if (bytes + SPARE_BYTES <= free) return;
  const megabytes = (value: number): string => `${Math.round(value / 1e6)} MB`;
  const detail = `${what} ${megabytes(bytes)}, but only ${megabytes(free)} are free. ${remedy}`;
  throw new UserError(507, 'Not enough space', detail);
}
