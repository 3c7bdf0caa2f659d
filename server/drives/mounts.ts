import { readFile, realpath } from 'node:fs/promises';
import { dirname, parse, resolve } from 'node:path';
import { fsSize } from 'systeminformation';
import { isWithin } from './path-within.js';

/** A mounted file system. */
export interface Mount {
  /** Folder at which it is mounted. */
  readonly point: string;
  /** As the system names it, "8:1" say. */
  readonly device: string;
  readonly fileSystem: string;
  /** Mounted device or network share. */
  readonly origin: string;
}

const unescaped = (text: string): string =>
  text.replace(/\\(\d{3})/g, (_, octal: string) => String.fromCharCode(parseInt(octal, 8)));

/** Reads mountinfo as proc(5) describes it. */
export function mountsFrom(text: string): Mount[] {
  return text.split('\n').flatMap((line) => {
    const [before, after] = line.split(' - ');
    const fields = before?.split(' ') ?? [];
    const [fileSystem, origin] = after?.split(' ') ?? [];
    const [, , device, , point] = fields;
    if (!device || !point || !fileSystem) return [];
    return [{ point: unescaped(point), device, fileSystem, origin: unescaped(origin ?? '') }];
  });
}

/** Mounted file systems; those that the package systeminformation reports where there is no mountinfo. */
export async function mounts(): Promise<Mount[]> {
  const table = await readFile('/proc/self/mountinfo', 'utf8').catch(() => undefined);
  if (table !== undefined) return mountsFrom(table);
  const sizes = await fsSize().catch(() => []);
  return sizes.map(({ mount, type, fs }) => ({
    // A drive letter alone is no path (Windows).
    point: /^[A-Za-z]:$/.test(mount) ? `${mount}\\` : mount,
    ...{ device: fs, fileSystem: type, origin: fs },
  }));
}

/** Mount of a path; undefined where the system does not report it. */
export async function mountOf(path: string): Promise<Mount | undefined> {
  const real = await nearestReal(resolve(path));
  const holding = (await mounts()).filter(({ point }) => isWithin(real, point));
  // Of two mounts at one point, the later one is seen.
  return holding.reduce<Mount | undefined>(
    (best, mount) => (best && best.point.length > mount.point.length ? best : mount),
    undefined,
  );
}

/** Mount point of a path. */
export async function driveOf(path: string): Promise<string> {
  return (await mountOf(path))?.point ?? parse(resolve(path)).root;
}

// A file that is not there lies where its folder lies.
async function nearestReal(path: string): Promise<string> {
  for (let at = path; ; at = dirname(at)) {
    const real = await realpath(at).catch(() => undefined);
    if (real) return real;
    if (dirname(at) === at) return at;
  }
}
