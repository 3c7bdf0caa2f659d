import { readdir, stat } from 'node:fs/promises';
import { basename, extname, join } from 'node:path';
import type { DroppedFile, SoughtContent } from '@hone/core/api';
import { places } from '../drives/places.js';
import { plainFile } from '../ffmpeg/input.js';
import { contentHash } from './hash.js';
import { sampledHash } from './identity.js';
import type { MediaAccess } from './media-access.js';
import { isMediaName } from './media-names.js';

/** A file that a search has found; its content hash where that is how it was found. */
export interface FoundFile {
  readonly path: string;
  readonly contentHash: string | null;
}

/** Files and folders that a search looks at, at most. */
const MOST_SEARCHED = 200_000;
/** Depth of folders below home and drives in which a dropped file is looked for. */
const DEEPEST = 6;
/** Folders at home and on drives that hold programs, not footage. */
const PROGRAM_FOLDERS: ReadonlySet<string> = new Set(['node_modules', 'Library', 'AppData', 'Windows']);

/** Looks for files in the media folders, and for dropped ones also at home and on mounted drives. */
export class MediaSearch {
  constructor(private readonly access: MediaAccess) {}

  /**
   * Looks for files by name in all media folders and what they hold. Endings and capitals do not matter, since edit
   * lists leave them out or change them.
   * A renamed file is found by its content.
   * @returns a path for each name that was found, and the names of the others
   */
  async byName(
    names: readonly string[],
    contents: readonly SoughtContent[] = [],
  ): Promise<{ found: FoundFile[]; missing: string[] }> {
    const wanted = new Map(names.map((name) => [bareName(name), name]));
    const found = new Map<string, FoundFile>();
    const sizes = new Set(contents.map(({ bytes }) => bytes));
    const alike: { readonly path: string; readonly bytes: number }[] = [];
    for await (const path of mediaBelow(await this.access.realRoots())) {
      const name = bareName(basename(path));
      if (wanted.has(name) && !found.has(name)) {
        if (await this.access.isAllowed(plainFile(path))) found.set(name, { path, contentHash: null });
      } else if (sizes.size) {
        const bytes = (await stat(path).catch(() => undefined))?.size ?? 0;
        if (sizes.has(bytes) && (await this.access.isAllowed(plainFile(path)))) alike.push({ path, bytes });
      }
      if (found.size === wanted.size) break;
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

  /**
   * Looks for files that were dropped onto the page, which tells their name and size and not where they lie. One is
   * found when size and sampled hash agree; its name may have changed.
   * @returns the path of each file in order; undefined for one that is not found
   */
  async dropped(files: readonly DroppedFile[]): Promise<(string | undefined)[]> {
    const found = new Map<DroppedFile, string>();
    const others = (await places()).map(({ path }) => path);
    const media = mediaBelow(await this.access.realRoots());
    for (const paths of [media, mediaBelow(others, { deepest: DEEPEST, skipped: PROGRAM_FOLDERS })]) {
      const sought = files.filter((file) => !found.has(file));
      if (sought.length === 0) break;
      for await (const path of paths) {
        const bytes = (await stat(path).catch(() => undefined))?.size;
        const alike = sought.filter((file) => file.bytes === bytes && !found.has(file));
        if (alike.length === 0) continue;
        const hash = await sampledHash(path).catch(() => undefined);
        for (const file of alike) if (file.sampledHash === hash) found.set(file, path);
        if (found.size === files.length) break;
      }
    }
    return files.map((file) => found.get(file));
  }
}

/** Paths of files with names of media, folder by folder, without hidden ones. @param skipped names of folders */
async function* mediaBelow(
  roots: readonly string[],
  { deepest = Infinity, skipped = new Set() }: { deepest?: number; skipped?: ReadonlySet<string> } = {},
): AsyncGenerator<string> {
  const open = roots.map((path) => ({ path, depth: 0 }));
  for (let seen = 0; open.length && seen < MOST_SEARCHED;) {
    const { path: folder, depth } = open.shift()!;
    for (const entry of await readdir(folder, { withFileTypes: true }).catch(() => [])) {
      seen++;
      if (entry.name.startsWith('.')) continue;
      const path = join(folder, entry.name);
      if (!entry.isDirectory()) {
        if (isMediaName(entry.name)) yield path;
      } else if (depth < deepest && !skipped.has(entry.name)) open.push({ path, depth: depth + 1 });
    }
  }
}

const bareName = (name: string): string => {
  const base = name.split(/[\\/]/).at(-1)!.toLowerCase();
  return isMediaName(base) ? base.slice(0, -extname(base).length) : base;
};
