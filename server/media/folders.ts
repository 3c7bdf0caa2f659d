import { createHash } from 'node:crypto';
import { readdir, realpath, stat } from 'node:fs/promises';
import { basename, extname, join, sep } from 'node:path';
import type { FolderEntry } from '@hone/core/api';
import { notFound } from '../http/problems.js';

const MEDIA = new Set(
  '.mp4 .mov .m4v .mkv .webm .avi .mxf .mts .m2ts .ts .mpg .mpeg .3gp .wav .mp3 .m4a .aac .flac .ogg .opus .aif .aiff'.split(
    ' ',
  ),
);

/** The folders that media may be chosen from. A client names a folder or a file only by what it was told here. */
export class Folders {
  private readonly paths = new Map<string, string>();

  constructor(private readonly roots: readonly string[]) {}

  async list(): Promise<FolderEntry> {
    const children: { id: string; label: string }[] = [];
    for (const root of this.roots) {
      const real = await realpath(root).catch(() => undefined);
      if (real) children.push({ id: this.remember(real), label: root });
    }
    return { id: '', label: 'Media folders', folders: children.length, files: [], children };
  }

  async open(id: string): Promise<FolderEntry> {
    const path = this.path(id);
    const entries = await readdir(path, { withFileTypes: true }).catch(() => []);
    const files: { id: string; name: string; bytes: number }[] = [];
    const children: { id: string; label: string }[] = [];
    for (const entry of entries) {
      if (entry.name.startsWith('.')) continue;
      const real = await realpath(join(path, entry.name)).catch(() => undefined);
      if (!real || !(await this.isAllowed(real))) continue;
      const found = await stat(real).catch(() => undefined);
      if (found?.isDirectory()) children.push({ id: this.remember(real), label: entry.name });
      else if (found?.isFile() && MEDIA.has(extname(entry.name).toLowerCase())) {
        files.push({ id: this.remember(real), name: entry.name, bytes: found.size });
      }
    }
    const byName = (a: string, b: string): number => a.localeCompare(b, 'en', { numeric: true });
    files.sort((a, b) => byName(a.name, b.name));
    children.sort((a, b) => byName(a.label, b.label));
    return { id, label: basename(path), folders: children.length, files, children };
  }

  /** @throws UserError when the identifier was not given out here */
  path(id: string): string {
    const path = this.paths.get(id);
    if (path === undefined) throw notFound('This folder or file');
    return path;
  }

  private async isAllowed(real: string): Promise<boolean> {
    for (const root of this.roots) {
      const realRoot = await realpath(root).catch(() => undefined);
      if (realRoot && (real === realRoot || real.startsWith(realRoot + sep))) return true;
    }
    return false;
  }

  private remember(path: string): string {
    const id = createHash('sha256').update(path).digest('hex').slice(0, 32);
    this.paths.set(id, path);
    return id;
  }
}
