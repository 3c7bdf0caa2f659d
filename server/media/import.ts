import { createWriteStream } from 'node:fs';
import { mkdir, open, stat } from 'node:fs/promises';
import { basename, extname, join } from 'node:path';
import type { Readable } from 'node:stream';
import { FACTS_VERSION, type SourceFacts } from '@hone/core/media';
import { pipeline } from 'node:stream/promises';
import { leadingFile, plainFile, type MediaInput } from '../ffmpeg/input.js';
import { requireWhole } from '../ffmpeg/decode-through.js';
import { probe, UnusableError, WaitingError } from '../ffmpeg/probe.js';
import type { FfmpegTools } from '../ffmpeg/process.js';
import { UserError } from '../http/problems.js';
import type { CopyOrders } from '../copies/copy-orders.js';
import type { CopyStore } from '../copies/copy-store.js';
import type { JobHandler, JobQueue } from '../jobs/queue.js';
import { writeAside } from '../store/aside.js';
import { requireRoom } from '../store/free-space.js';
import { hintsAtDamage } from './damage-job.js';
import { fileState, sampledHash } from './identity.js';
import type { MediaAccess } from './media-access.js';
import { isMediaName, mediaEndings } from './media-names.js';
import { fileStamp, type SourceRow, type SourceStore } from './source-store.js';

/** Imports files into a project. A fault of one file is reported for that file; the others continue. */
export class Importer {
  constructor(
    private readonly store: SourceStore,
    private readonly copies: CopyStore,
    private readonly queue: JobQueue,
    private readonly tools: FfmpegTools,
    private readonly access: MediaAccess,
  ) {}

  /** Adds a file where it is; nothing is copied. */
  async add(projectId: string, path: string, name = basename(path)): Promise<SourceRow> {
    return this.addInput(projectId, plainFile(path), name);
  }

  /** Adds a file, or a row of numbered stills, where it is, and has it read in the background. */
  async addToRead(projectId: string, input: MediaInput, name: string): Promise<SourceRow> {
    const row = await this.place(projectId, input, name);
    const title = `Facts of ${name}`;
    if (row.state !== 'ready') await this.queue.add({ projectId, kind: 'read', title, subjectId: row.id });
    return row;
  }

  async addInput(projectId: string, input: MediaInput, name: string): Promise<SourceRow> {
    return this.read(await this.place(projectId, input, name));
  }

  private async place(projectId: string, input: MediaInput, name: string): Promise<SourceRow> {
    const isSame = (row: SourceRow): boolean =>
      row.path === input.path && row.stills?.first === input.stills?.first;
    const same = (await this.store.list(projectId)).find(isSame);
    const problem = 'Waits to be read.';
    return same ?? this.store.add({ projectId, name, ...input, state: 'expected', problem });
  }

  /**
   * Adds a missing source for an absent file, which is read as soon as it appears in the folder.
   * @param folder where it is looked for; undefined when there are no media folders
   */
  async addMissing(projectId: string, name: string, folder: string | undefined): Promise<SourceRow> {
    const base = basename(name.replaceAll('\\', '/'));
    const path = join(folder ?? '/', /^\.*$/.test(base) ? 'unnamed' : base);
    const same = (await this.store.list(projectId)).find((row) => row.path === path);
    if (same) return same;
    const where = folder ? `Put it into ${folder}, or` : 'Add its folder with “Add media …”, or';
    const problem = `"${name}" was not found in the media folders. ${where} open the timeline file again when it is there.`;
    return this.store.add({ projectId, name, ...plainFile(path), state: 'missing', problem });
  }

  /** Reads the facts of a source whose file is there. */
  async read(row: SourceRow): Promise<SourceRow> {
    const file = await fileState(row);
    if (!file) return this.store.lose(row);
    try {
      const input = await this.access.resolve(row);
      await requireReadable(leadingFile(input));
      const facts = withInterpretation(await probe(this.tools.ffprobe, input, file.bytes), row);
      const complaints = await requireWhole(this.tools.ffmpeg, input, facts.container);
      const sampled = await sampledHash(leadingFile(input));
      const isNew = row.sampledHash
        ? file.bytes !== row.bytes || sampled !== row.sampledHash
        : fileStamp(file) !== fileStamp(row);
      const forgotten = isNew
        ? { contentHash: null, structure: null, strip: null, sound: null, damage: null }
        : {};
      const ready = await this.store.change(row, {
        ...file,
        ...forgotten,
        facts,
        sampledHash: sampled,
        state: 'ready',
        problem: null,
      });
      if (isNew) await this.copies.markStale([ready]);
      await this.prepare(ready, hintsAtDamage(complaints));
      return ready;
    } catch (error) {
      if (error instanceof WaitingError) {
        // The facts of the source stay: the file is the same once it can be read again.
        return this.store.change(row, { state: 'expected', problem: error.message });
      }
      if (!(error instanceof UnusableError || error instanceof UserError)) throw error;
      return this.store.change(row, { ...file, state: 'unreadable', problem: error.message });
    }
  }

  /** Queues the background jobs of a source that are not done yet. */
  async prepare(row: SourceRow, isHinted = false): Promise<void> {
    if (row.state !== 'ready' || !row.facts) return;
    const ask = async (kind: string, title: string, payload?: unknown): Promise<void> => {
      await this.queue.add({ projectId: row.projectId, kind, title, subjectId: row.id, payload });
    };
    if (row.facts.picture && !row.structure) await ask('index', `Packet index of ${row.name}`);
    if (row.facts.sound && !row.sound) await ask('sound', `Sound of ${row.name}`);
    if (row.facts.picture && !row.strip) await ask('strip', `Thumbnails of ${row.name}`);
    if (!row.contentHash) await ask('hash', `Fingerprint of ${row.name}`);
    if (row.facts.picture && !row.damage) await ask('damage', `Damage in ${row.name}`, { isHinted });
  }

  /**
   * Reads sources again that an older Hone read incompletely or failed to read, and queues jobs that never ran.
   * @param onFault called with the error of one source; the others continue
   */
  async catchUp(onFault: (error: unknown, row: SourceRow) => void): Promise<void> {
    for (const row of await this.store.all()) {
      try {
        if (
          row.state === 'ready' &&
          row.facts?.version === FACTS_VERSION &&
          (await this.access.isAllowed(row))
        )
          await this.prepare(row);
        else if (row.state !== 'missing') await this.readAgain(row);
      } catch (error) {
        onFault(error, row);
      }
    }
  }

  /** Reads a source again whose file exists; one without its file keeps waiting. */
  async readAgain(row: SourceRow): Promise<SourceRow> {
    if (row.state === 'expected' && !(await fileState(row))) return row;
    return this.read(row);
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
    if (!isMediaName(name)) {
      const detail = `"${name}" has no ending of a media file, so it was not taken. Hone takes ${mediaEndings()}.`;
      throw new UserError(415, 'No media file', detail);
    }
    await mkdir(folder, { recursive: true });
    await requireRoom(folder, bytes, `"${name}" has`, 'Make room, or add it from its own folder.');
    const path = await freePath(folder, name);
    await writeAside(path, async (aside) => {
      await pipeline(body, createWriteStream(aside, { flags: 'wx' }));
      const written = (await stat(aside)).size;
      if (written === bytes) return;
      throw new UserError(
        400,
        'Upload cut off',
        `"${name}" arrived with ${written} of ${bytes} bytes. Send it again.`,
      );
    });
    return this.add(projectId, path, name);
  }
}

/** The user's own facts of a source survive reading its file again. */
function withInterpretation(facts: SourceFacts, { facts: before }: SourceRow): SourceFacts {
  const premultiplied = before?.picture?.premultiplied;
  return premultiplied && facts.picture ? { ...facts, picture: { ...facts.picture, premultiplied } } : facts;
}

/** Reads the facts of sources that were added, one after the other, before anything else is made of them. */
export function readHandler(store: SourceStore, importer: Importer, orders: CopyOrders): JobHandler {
  return {
    kind: 'read',
    lane: 'light',
    priority: 8,
    async run({ job }) {
      const before = await store.get(job.subjectId);
      const read = await importer.readAgain(before);
      if (before.state === 'expected') await orders.orderAtImport(read);
    },
  };
}

/** Paths that uploads were given since the start. */
const taken = new Set<string>();

// The system is asked: what a program says of permissions and failing drives depends on its version.
async function requireReadable(path: string): Promise<void> {
  await readEnds(path).catch((error: unknown) => {
    const { code: named, message } = error as NodeJS.ErrnoException;
    const code = named ?? message;
    throw new WaitingError(
      `Waits until ${path} may be read (${code}). Give this user permission to read it; Hone tries again by itself.`,
    );
  });
}

async function readEnds(path: string): Promise<void> {
  const file = await open(path);
  try {
    const { size } = await file.stat();
    for (const at of [0, Math.max(0, size - 1)]) await file.read(Buffer.alloc(1), 0, 1, at);
  } finally {
    await file.close();
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
    if (taken.has(path) || (await stat(path).catch(() => undefined))) continue;
    // Another upload of the same name must not take it while this one arrives.
    taken.add(path);
    return path;
  }
}
