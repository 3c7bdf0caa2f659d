import { homedir, platform } from 'node:os';
import { mounts, type Mount } from './mounts.js';

/** A folder at which somebody looks for footage first. */
export interface Place {
  readonly path: string;
  readonly kind: 'home' | 'drive';
}

/** Where people and desktops mount drives: a name below these folders, and a user's name before it in some. */
const DRIVE_POINT = /^(\/mnt\/[^/]+|\/(run\/)?media(\/[^/]+){1,2}|\/Volumes\/[^/]+|\/srv\/[^/]+)$/;
const NETWORK = /^(nfs4?|cifs|smb3?|smbfs|fuse\.sshfs|9p|afpfs|webdav|davfs)$/;
const SYSTEM_FOLDERS = /^\/(boot|dev|etc|proc|run|snap|sys|tmp|usr|var|System|private)(\/|$)/;

/** The mounts that are drives or shares with files of people, without those of the system. */
export function drivesAmong(all: readonly Mount[]): string[] {
  const points = all
    .filter(({ point, fileSystem, origin }) => {
      if (DRIVE_POINT.test(point)) return true;
      if (point === '/' || SYSTEM_FOLDERS.test(point)) return false;
      return NETWORK.test(fileSystem) || origin.startsWith('/dev/');
    })
    .map(({ point }) => point);
  return [...new Set(points)].sort();
}

/** Home and the mounted drives, as far as the system reports them. */
export async function places(): Promise<Place[]> {
  const all = await mounts();
  // On Windows every drive letter is a place; elsewhere only what lies outside the system's own folders.
  const drives = platform() === 'win32' ? all.map(({ point }) => point).sort() : drivesAmong(all);
  const home: Place = { path: homedir(), kind: 'home' };
  return [
    home,
    ...drives.filter((path) => path !== home.path).map((path): Place => ({ path, kind: 'drive' })),
  ];
}
