import { createHash } from 'node:crypto';
import { readdir, realpath, stat } from 'node:fs/promises';
import { basename, extname, join } from 'node:path';
import type { FolderEntry, SoughtContent } from '@hone/core/api';
import { plainFile, type MediaInput } from '../ffmpeg/input.js';
import { notFound } from '../http/problems.js';
import { contentHash } from './hash.js';
import { fileState } from './identity.js';
import type { MediaAccess } from './media-access.js';
import { isMediaName } from './media-names.js';
import { stillsIn } from './stills.js';

/** A file that a search has found; its content hash where that is how it was found. */
export interface FoundFile {
  readonly path: string;
  readonly contentHash: string | null;
}

/** Files and folders that a search looks at, at most. */
const MOST_SEARCHED = 200_000;

/** The folders that media may be chosen from. A client names a folder or a file only by what it was told here. */
export class Folders {
  private readonly paths = new Map<string, string>();
  private readonly inputs = new Map<string, MediaInput & { readonly name: string }>();

  constructor(
    private readonly roots: readonly string[],
    private readonly access: MediaAccess,
  ) {}

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
      const found = real && (await stat(real).catch(() => undefined));
      if (!real || !found) continue;
      if (found.isDirectory() && (await this.access.isOpenFolder(real)))
        children.push({ id: this.remember(real), label: entry.name });
      else if (found.isFile() && (await this.access.isAllowed(plainFile(join(path, entry.name))))) {
        files.push({
          id: this.rememberFile(plainFile(real), entry.name),
          name: entry.name,
          bytes: found.size,
        });
      }
    }
    const plain = entries.filter((entry) => entry.isFile()).map(({ name }) => name);
    for (const { pattern, label, stills } of stillsIn(plain)) {
      const input = { path: join(path.replaceAll('%', '%%'), pattern), stills };
      const bytes = (await fileState(input))?.bytes ?? 0;
      files.push({ id: this.rememberFile(input, label), name: label, bytes });
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

  /** @throws UserError when the identifier was not given out here */
  file(id: string): MediaInput & { readonly name: string } {
    const input = this.inputs.get(id);
    if (!input) throw notFound('This file');
    return input;
  }

  /**
   * Looks for files by name in all media folders and what they hold. Endings and capitals do not matter, since edit
   * lists leave them out or change them.
   * A renamed file is found by its content.
   * @returns a path for each name that was found, and the names of the others
   */
  async search(
    names: readonly string[],
    contents: readonly SoughtContent[] = [],
  ): Promise<{ found: FoundFile[]; missing: string[] }> {
    const wanted = new Map(names.map((name) => [bareName(name), name]));
    const found = new Map<string, FoundFile>();
    const sizes = new Set(contents.map(({ bytes }) => bytes));
    const alike: { readonly path: string; readonly bytes: number }[] = [];
    const open = await this.access.realRoots();
    for (let looked = 0; open.length && looked < MOST_SEARCHED && found.size < wanted.size;) {
      const folder = open.shift()!;
      for (const entry of await readdir(folder, { withFileTypes: true }).catch(() => [])) {
        looked++;
        if (entry.name.startsWith('.')) continue;
        const path = join(folder, entry.name);
        const name = bareName(entry.name);
        if (entry.isDirectory()) open.push(path);
        else if (isMediaName(entry.name) && (await this.access.isAllowed(plainFile(path)))) {
          if (wanted.has(name)) found.set(name, found.get(name) ?? { path, contentHash: null });
          else if (sizes.size) {
            const bytes = (await stat(path).catch(() => undefined))?.size ?? 0;
            if (sizes.has(bytes)) alike.push({ path, bytes });
          }
        }
      }
    }
    // Only files of the size of a missing one are read.
    for (const { path, bytes } of alike) {
      const sought = contents.filter((each) => each.bytes === bytes && !found.has(bareName(each.name)));
      if (sought.length === 0) continue;
      const hash = await contentHash(path);
      for (const { name, sha256 } of sought)
        if (sha256 === hash) found.set(bareName(name), { path, contentHash: hash });
    }
    const missing = [...wanted].filter(([bare]) => !found.has(bare)).map(([, name]) => name);
    return { found: [...found.values()], missing };
  }

  private remember(path: string): string {
    const id = idOf(path);
    this.paths.set(id, path);
    return id;
  }

  private rememberFile(input: MediaInput, name: string): string {
    const id = idOf(`${input.path}|${JSON.stringify(input.stills)}`);
    this.inputs.set(id, { ...input, name });
    return id;
  }
}

const bareName = (name: string): string => {
  const base = name.split(/[\\/]/).at(-1)!.toLowerCase();
  return isMediaName(base) ? base.slice(0, -extname(base).length) : base;
};

const idOf = (text: string): string => createHash('sha256').update(text).digest('hex').slice(0, 32);
