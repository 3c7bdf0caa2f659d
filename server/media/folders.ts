import { createHash } from 'node:crypto';
import { readdir, realpath, stat } from 'node:fs/promises';
import { basename, dirname, extname, join } from 'node:path';
import type { FolderEntry } from '@hone/core/api';
import { isWithin } from '../drives/path-within.js';
import { places } from '../drives/places.js';
import { leadingFile, plainFile, type MediaInput } from '../ffmpeg/input.js';
import { notFound, UserError } from '../http/problems.js';
import { fileState } from './identity.js';
import type { MediaAccess } from './media-access.js';
import type { MediaFolders } from './media-folders.js';
import { isMediaName, isStillName } from './media-names.js';
import { FEWEST_STILLS, namesOf, stillsIn } from './stills.js';

/**
 * The folders that footage is chosen from: media folders, home and mounted drives. A client names a folder or a file only
 * by what it was told here.
 */
export class Folders {
  private readonly paths = new Map<string, string>();
  private readonly inputs = new Map<string, MediaInput & { readonly name: string }>();

  constructor(
    private readonly media: MediaFolders,
    private readonly access: MediaAccess,
  ) {}

  /** Media folders, home and mounted drives. */
  async list(): Promise<FolderEntry> {
    const media = this.media.listed().map((path) => ({ path, kind: 'media' as const }));
    const children: FolderEntry['children'][number][] = [];
    for (const { path, kind } of [...media, ...(await places())]) {
      const real = await realpath(path).catch(() => undefined);
      if (!real || children.some(({ id }) => id === idOf(real))) continue;
      const isAdded = kind === 'media' && this.media.isAdded(path);
      children.push({ ...(await this.childOf(real, path)), kind, isAdded });
    }
    return { id: '', label: 'Folders', files: [], children, unusable: [] };
  }

  /** What a folder holds: what can be used as media, what cannot and why, and folders in it. */
  async open(id: string): Promise<FolderEntry> {
    const path = this.path(id);
    const entries = await readdir(path, { withFileTypes: true }).catch(() => {
      const detail = `"${basename(path)}" cannot be opened. Check whether its drive is connected and may be read.`;
      throw new UserError(403, 'Folder not open to Hone', detail);
    });
    const access = this.access.with(path);
    const roots = [path, ...(await this.access.realRoots())];
    const files: FolderEntry['files'][number][] = [];
    const unusable: FolderEntry['unusable'][number][] = [];
    const children: FolderEntry['children'][number][] = [];
    const rows = stillsIn(entries.filter((entry) => entry.isFile()).map(({ name }) => name));
    const inRows = new Set(rows.flatMap(namesOf));
    for (const entry of entries) {
      if (entry.name.startsWith('.')) continue;
      const named = join(path, entry.name);
      const real = await realpath(named).catch(() => undefined);
      const found = real && (await stat(real).catch(() => undefined));
      if (!real || !found) unusable.push({ name: entry.name, problem: 'It is a link that leads nowhere.' });
      else if (found.isDirectory()) {
        if (roots.some((root) => isWithin(real, root))) children.push(await this.childOf(real, entry.name));
        else unusable.push({ name: entry.name, problem: 'It is a link to another folder.' });
      } else if (found.isFile() && (await access.isAllowed(plainFile(named)))) {
        const file = { id: this.rememberFile(plainFile(real), entry.name), name: entry.name };
        files.push({ ...file, bytes: found.size });
      } else if (!inRows.has(entry.name))
        unusable.push({ name: entry.name, problem: reasonAgainst(entry.name) });
    }
    for (const { pattern, label, stills } of rows) {
      const input = { path: join(path.replaceAll('%', '%%'), pattern), stills };
      const bytes = (await fileState(input))?.bytes ?? 0;
      files.push({ id: this.rememberFile(input, label), name: label, bytes });
    }
    const byName = (a: string, b: string): number => a.localeCompare(b, 'en', { numeric: true });
    files.sort((a, b) => byName(a.name, b.name));
    unusable.sort((a, b) => byName(a.name, b.name));
    children.sort((a, b) => byName(a.label, b.label));
    return { id, label: path, files, children, unusable };
  }

  /** Opens a folder by the path that the user wrote, which becomes a media folder. */
  async openPath(path: string): Promise<FolderEntry> {
    return this.open(this.remember(await this.media.add(path)));
  }

  /** Takes a folder that was added away again. */
  async removeMedia(id: string): Promise<void> {
    const real = this.path(id);
    if (!this.media.isAdded(real)) {
      const detail = `"${real}" is a media folder by the settings that Hone was started with. It stays.`;
      throw new UserError(409, 'Not added here', detail);
    }
    await this.media.remove(real);
  }

  /**
   * The file that a listing named. Its folder becomes a media folder if it is none: to choose a file is to let Hone read
   * it, now and later.
   */
  async choose(id: string): Promise<MediaInput & { readonly name: string }> {
    const input = this.file(id);
    await this.include(leadingFile(input));
    return input;
  }

  /** Makes the folder of a file a media folder, unless the file lies in one. */
  async include(path: string): Promise<string> {
    const folder = dirname(path);
    if (!(await this.access.isOpenFolder(await realpath(folder)))) await this.media.add(folder);
    return path;
  }

  /** @throws UserError when the identifier was not given out here */
  private path(id: string): string {
    const path = this.paths.get(id);
    if (path === undefined) throw notFound('This folder or file');
    return path;
  }

  /** @throws UserError when the identifier was not given out here */
  private file(id: string): MediaInput & { readonly name: string } {
    const input = this.inputs.get(id);
    if (!input) throw notFound('This file');
    return input;
  }

  private async childOf(real: string, label: string): Promise<FolderEntry['children'][number]> {
    const names = (await readdir(real).catch(() => [])).filter((name) => !name.startsWith('.'));
    const mediaFiles = names.filter(isMediaName).length + stillsIn(names).length;
    return { id: this.remember(real), label, kind: 'folder', mediaFiles, isAdded: false };
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

const idOf = (text: string): string => createHash('sha256').update(text).digest('hex').slice(0, 32);

/** Why a file cannot be used, by its name alone. */
export function reasonAgainst(name: string): string {
  if (isStillName(name))
    return `It is a single image. Hone reads rows of ${FEWEST_STILLS} numbered images or more.`;
  if (isMediaName(name)) return 'It is a link to another folder.';
  const ending = extname(name);
  return ending
    ? `Files with the ending ${ending} hold no media that Hone reads.`
    : 'It has no ending of a media file.';
}
