import { readdir, stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { watch, type FSWatcher } from 'chokidar';
import type { Logger } from 'pino';
import { driveOf } from '../drives/mounts.js';
import { leadingFile, plainFile } from '../ffmpeg/input.js';
import type { EventBus } from '../http/events.js';
import { fileState, sampledHash } from './identity.js';
import type { Importer } from './import.js';
import type { MediaAccess } from './media-access.js';
import { fileStamp, type SourceRow, type SourceStore } from './source-store.js';

/** A file that did not change for so long is taken to be whole. */
const SETTLED_MS = 2000;
/** Interval between checks of all files, since network shares report no changes. */
const LOOK_EVERY_MS = 15_000;
/** Depth and number of files of the search for a moved file. */
const DEEPEST = 4;
const MOST_FILES = 20_000;

/** Updates sources as their files change, move, vanish or grow. */
export class SourceWatcher {
  private watcher: FSWatcher | undefined;
  private readonly folders = new Set<string>();
  private readonly settling = new Map<string, NodeJS.Timeout>();
  private readonly busy = new Set<string>();
  /** Missing sources that were looked for. */
  private readonly searched = new Set<string>();
  /** States of awaited sources at the last check. */
  private readonly waiting = new Map<string, string | null>();
  private timer: NodeJS.Timeout | undefined;
  private stopListening: (() => void) | undefined;

  constructor(
    private readonly store: SourceStore,
    private readonly importer: Importer,
    private readonly bus: EventBus,
    private readonly access: MediaAccess,
    private readonly log: Logger,
  ) {}

  async start(): Promise<void> {
    this.watcher = watch([], { depth: 0, ignoreInitial: true, ignorePermissionErrors: true });
    this.watcher.on('all', (_event, path) => void this.changed(path));
    this.watcher.on('error', (error) => this.log.debug({ err: error }, 'a folder could not be watched'));
    for (const row of await this.store.all()) this.follow(dirname(row.path));
    this.stopListening = this.bus.listen((event) => {
      if (event.kind === 'source') this.follow(event.source.folder);
    });
    this.timer = setInterval(() => void this.lookAtAll(), LOOK_EVERY_MS);
    await this.lookAtAll();
  }

  async stop(): Promise<void> {
    this.stopListening?.();
    clearInterval(this.timer);
    for (const timer of this.settling.values()) clearTimeout(timer);
    this.settling.clear();
    await this.watcher?.close();
    this.watcher = undefined;
  }

  private follow(folder: string): void {
    if (this.folders.has(folder)) return;
    this.folders.add(folder);
    this.watcher?.add(folder);
  }

  private async lookAtAll(): Promise<void> {
    try {
      for (const row of await this.store.all()) {
        await this.look(row).catch((error: unknown) => {
          this.log.debug({ err: error, source: row.name }, 'the file of a source could not be looked at');
        });
      }
    } catch (error) {
      this.log.debug({ err: error }, 'the files of the sources could not be looked at');
    }
  }

  private async changed(path: string): Promise<void> {
    try {
      for (const row of await this.store.all()) {
        const isPart = row.stills !== null && dirname(row.path) === dirname(path);
        if (leadingFile(row) === path || isPart) await this.look(row);
        else if (row.state === 'missing') await this.takeBack(row, path);
      }
    } catch (error) {
      this.log.debug({ err: error, path }, 'a changed file could not be looked at');
    }
  }

  private async look(row: SourceRow): Promise<void> {
    if (this.busy.has(row.id)) return;
    this.busy.add(row.id);
    try {
      const now = await fileState(row);
      if (now) this.searched.delete(row.id);
      if (row.state === 'expected') await this.tryAgain(row);
      else if (!now) await this.gone(row);
      else if (fileStamp(now) === fileStamp(row)) {
        if (row.state === 'missing') await this.importer.read(row);
        else if (row.state === 'ready' && !(await this.access.isAllowed(row))) await this.importer.read(row);
        else if (row.state === 'growing') this.settle(row, fileStamp(now));
      } else await this.grow(row, now);
    } finally {
      this.busy.delete(row.id);
    }
  }

  // One that is read for the first time just now would be read twice.
  private async tryAgain(row: SourceRow): Promise<void> {
    const isWaiting = this.waiting.get(row.id) === row.problem;
    this.waiting.set(row.id, row.problem);
    if (!isWaiting) return;
    const read = await this.importer.readAgain(row);
    if (read.state !== 'expected') this.waiting.delete(row.id);
  }

  private async grow(row: SourceRow, now: { bytes: number; modifiedMs: number }): Promise<void> {
    const megabytes = (now.bytes / 1e6).toFixed(now.bytes < 1e7 ? 1 : 0);
    const problem = `The file is still being written: ${megabytes} MB so far. It is read when it stays as it is.`;
    await this.store.change(row, { state: 'growing', problem });
    this.settle(row, fileStamp(now));
  }

  private settle(row: SourceRow, stamp: string): void {
    clearTimeout(this.settling.get(row.id));
    const timer = setTimeout(() => {
      this.settling.delete(row.id);
      void this.readWhenWhole(row.id, stamp);
    }, SETTLED_MS);
    this.settling.set(row.id, timer);
  }

  private async readWhenWhole(id: string, stamp: string): Promise<void> {
    try {
      const row = await this.store.get(id);
      const now = await fileState(row);
      if (now && fileStamp(now) !== stamp) this.settle(row, fileStamp(now));
      else await this.importer.read(row);
    } catch (error) {
      this.log.debug({ err: error }, 'a file that changed could not be read');
    }
  }

  private async gone(row: SourceRow): Promise<void> {
    clearTimeout(this.settling.get(row.id));
    if (row.state === 'missing' && this.searched.has(row.id)) return;
    this.searched.add(row.id);
    const missing = await this.store.lose(row);
    if (row.stills) return;
    for (const folder of new Set([dirname(row.path), ...(await this.access.realRoots())])) {
      for (const path of await filesBelow(folder)) if (await this.takeBack(missing, path)) return;
    }
  }

  /** Takes a file for a missing source when it holds the same. */
  private async takeBack(row: SourceRow, path: string): Promise<boolean> {
    if (row.stills || !row.sampledHash || !(await this.access.isAllowed(plainFile(path)))) return false;
    const found = await stat(path).catch(() => undefined);
    if (!found?.isFile() || found.size !== row.bytes) return false;
    if ((await sampledHash(path).catch(() => undefined)) !== row.sampledHash) return false;
    await this.store.change(row, {
      path,
      name: row.name === basename(row.path) ? basename(path) : row.name,
      drive: await driveOf(path),
      modifiedMs: found.mtimeMs,
      state: 'ready',
      problem: null,
    });
    return true;
  }
}

async function filesBelow(folder: string): Promise<string[]> {
  const files: string[] = [];
  const open: [string, number][] = [[folder, 0]];
  for (let next = open.shift(); next && files.length < MOST_FILES; next = open.shift()) {
    const [path, depth] = next;
    for (const entry of await readdir(path, { withFileTypes: true }).catch(() => [])) {
      if (entry.name.startsWith('.')) continue;
      if (entry.isDirectory() && depth < DEEPEST) open.push([join(path, entry.name), depth + 1]);
      else if (entry.isFile()) files.push(join(path, entry.name));
    }
  }
  return files;
}
