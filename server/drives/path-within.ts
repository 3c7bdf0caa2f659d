import { platform } from 'node:os';
import { posix, win32 } from 'node:path';

/** Systems whose file names differ by more than capitals. */
const IGNORING_CASE: ReadonlySet<NodeJS.Platform> = new Set(['win32', 'darwin']);

/**
 * Whether a path is a folder or lies in it, by the rules of a system: its separators, drive letters and capitals.
 * @param path whole, as the folder is
 */
export function isWithin(path: string, folder: string, system: NodeJS.Platform = platform()): boolean {
  const { isAbsolute, relative, sep } = system === 'win32' ? win32 : posix;
  const fold = (text: string): string => (IGNORING_CASE.has(system) ? text.toLowerCase() : text);
  const way = relative(fold(folder), fold(path));
  return way === '' || (way !== '..' && !way.startsWith(`..${sep}`) && !isAbsolute(way));
}
