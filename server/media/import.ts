import { createWriteStream } from 'node:fs';
import { mkdir, rename, rm, stat, statfs } from 'node:fs/promises';
import { basename, extname, join } from 'node:path';
import type { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { probe, requireWhole, UnusableError } from '../ffmpeg/probe.js';
import type { FfmpegTools } from '../ffmpeg/process.js';
import { UserError } from '../http/problems.js';
import type { JobQueue } from '../jobs/queue.js';
import type { SourceRow, SourceStore } from './source-store.js';

const SPARE_BYTES = 200 * 2 ** 20;

/** Brings files into a project. What is wrong with one file is said of that file; the others go on. */
export class Importer {
  constructor(
    private readonly store: SourceStore,
    private readonly queue: JobQueue,
    private readonly tools: FfmpegTools,
  ) {}

  /** Adds a file where it is; nothing is copied. */
  async add(projectId: string, path: string, name = basename(path)): Promise<SourceRow> {
    const same = (await this.store.list(projectId)).find((row) => row.path === path);
    const row = same ?? (await this.store.add({ projectId, name, path, state: 'expected' }));
    return this.read(row);
  }

  /** Reads the facts of a source whose file is there. */
  async read(row: SourceRow): Promise<SourceRow> {
    const found = await stat(row.path).catch(() => undefined);
    if (!found) {
      const problem = `The file is not at ${row.path}. Connect its drive or put it back.`;
      return this.store.change(row, { state: 'missing', problem });
    }
    const file = { bytes: found.size, modifiedMs: found.mtimeMs };
    try {
      const facts = await probe(this.tools.ffprobe, row.path, found.size);
      await requireWhole(this.tools.ffmpeg, row.path);
      const ready = await this.store.change(row, {
        ...file,
        facts,
        state: 'ready',
        problem: null,
        contentHash: null,
      });
      await this.queue.add({
        projectId: row.projectId,
        kind: 'hash',
        title: `Fingerprint of ${row.name}`,
        subjectId: row.id,
      });
      return ready;
    } catch (error) {
      if (!(error instanceof UnusableError)) throw error;
      return this.store.change(row, { ...file, state: 'unreadable', problem: error.message });
    }
  }

  /**
   * Takes a file from the page.
   * @param bytes its size, as the page says
   */
  async upload(
    projectId: string,
    folder: string,
    name: string,
    bytes: number,
    body: Readable,
  ): Promise<SourceRow> {
    await mkdir(folder, { recursive: true });
    const room = await statfs(folder);
    const free = room.bavail * room.bsize;
    if (bytes + SPARE_BYTES > free) {
      const megabytes = (value: number): string => `${Math.round(value / 1e6)} MB`;
      const detail = `"${name}" has ${megabytes(bytes)}, but only ${megabytes(free)} are free. Make room, or add it from its own folder.`;
      throw new UserError(507, 'Not enough space', detail);
    }
    const path = await freePath(folder, name);
    const aside = `${path}.part`;
    try {
      await pipeline(body, createWriteStream(aside, { flags: 'wx' }));
      const written = (await stat(aside)).size;
      if (written !== bytes) {
        throw new UserError(
          400,
          'Upload cut off',
          `"${name}" arrived with ${written} of ${bytes} bytes. Send it again.`,
        );
      }
      await rename(aside, path);
    } catch (error) {
      await rm(aside, { force: true });
      throw error;
    }
    return this.add(projectId, path, name);
  }
}

// A name that is safe in any file system, and not taken.
async function freePath(folder: string, name: string): Promise<string> {
  const extension = extname(name)
    .replace(/[^\w.]/g, '')
    .slice(0, 10);
  const stem =
    basename(name, extname(name))
      .replace(/[^\p{L}\p{N} _-]/gu, '_')
      .slice(0, 80)
      .trim() || 'clip';
  for (let count = 1; ; count++) {
    const path = join(folder, `${stem}${count > 1 ? ` ${count}` : ''}${extension}`);
    const taken = await Promise.all(
      [stat(path), stat(`${path}.part`)].map((look) => look.catch(() => undefined)),
    );
    if (taken.every((entry) => entry === undefined)) return path;
  }
}
