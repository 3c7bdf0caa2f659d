import { randomUUID } from 'node:crypto';
import { dirname } from 'node:path';
import { driveOf } from '../drives/mounts.js';
import type { Source } from '@hone/core/api';
import { asc, eq, max } from 'drizzle-orm';
import { leadingFile } from '../ffmpeg/input.js';
import type { EventBus } from '../http/events.js';
import { notFound, UserError } from '../http/problems.js';
import type { Database } from '../store/database.js';
import { packetIndexes, sources } from '../store/tables.js';
import { fileState } from './identity.js';
import type { MediaAccess } from './media-access.js';

export type SourceRow = typeof sources.$inferSelect;

/** State of a file: its size and time. */
export const fileStamp = (row: { bytes: number; modifiedMs: number }): string =>
  `${row.bytes}:${row.modifiedMs}`;

/** Content of a file: a file that was only touched or moved is still the same. */
export const stampOf = (row: { bytes: number; modifiedMs: number; sampledHash: string | null }): string =>
  row.sampledHash ? `${row.bytes}:${row.sampledHash}` : fileStamp(row);

export class SourceStore {
  constructor(
    private readonly database: Database,
    private readonly bus: EventBus,
    private readonly access: MediaAccess,
  ) {}

  async list(projectId: string): Promise<SourceRow[]> {
    return this.database
      .select()
      .from(sources)
      .where(eq(sources.projectId, projectId))
      .orderBy(asc(sources.position));
  }

  async get(id: string): Promise<SourceRow> {
    const [row] = await this.database.select().from(sources).where(eq(sources.id, id));
    if (!row) throw notFound('This source');
    return row;
  }

  /**
   * A source for reading its file: the row with the real path.
   * @throws UserError when it is not ready, or its file may not be read
   */
  async readable(id: string): Promise<SourceRow> {
    return this.resolved(await this.get(id));
  }

  /** @throws UserError when the source is not ready, or its file may not be read */
  async resolved(row: SourceRow): Promise<SourceRow> {
    if (row.state !== 'ready') {
      throw new UserError(
        409,
        'Source not ready',
        row.problem ?? `"${row.name}" is not ready yet. Wait until it was read.`,
      );
    }
    return this.access.resolve(row);
  }

  async add(
    values: Pick<SourceRow, 'projectId' | 'name' | 'path' | 'state'> & Partial<SourceRow>,
  ): Promise<SourceRow> {
    const [last] = await this.database
      .select({ position: max(sources.position) })
      .from(sources)
      .where(eq(sources.projectId, values.projectId));
    const row: SourceRow = {
      id: randomUUID(),
      problem: null,
      bytes: 0,
      modifiedMs: 0,
      facts: null,
      contentHash: null,
      sampledHash: null,
      position: (last?.position ?? 0) + 1,
      drive: await driveOf(values.path),
      bin: '',
      tags: [],
      stills: null,
      structure: null,
      strip: null,
      sound: null,
      damage: null,
      ...values,
    };
    await this.database.insert(sources).values(row);
    this.tell(row);
    return row;
  }

  async change(row: Pick<SourceRow, 'id'>, values: Partial<SourceRow>): Promise<SourceRow> {
    const [changed] = await this.database
      .update(sources)
      .set(values)
      .where(eq(sources.id, row.id))
      .returning();
    if (!changed) throw notFound('This source');
    this.tell(changed);
    return changed;
  }

  /** Marks a source as missing; the problem of a source that is missing already stays. */
  async lose(row: SourceRow): Promise<SourceRow> {
    if (row.state === 'missing') return row;
    const problem = `The file is not at ${leadingFile(row)} any more. Connect its drive or put it back.`;
    return this.change(row, { state: 'missing', problem });
  }

  /** All sources of all projects. */
  async all(): Promise<SourceRow[]> {
    return this.database.select().from(sources);
  }

  async remove(id: string): Promise<void> {
    const row = await this.get(id);
    await this.database.delete(sources).where(eq(sources.id, id));
    this.bus.emit({ kind: 'sourceGone', sourceId: id, projectId: row.projectId });
  }

  async keepIndex(row: SourceRow, packets: Uint8Array): Promise<void> {
    const values = { stamp: stampOf(row), packets: Buffer.from(packets) };
    await this.database
      .insert(packetIndexes)
      .values({ sourceId: row.id, ...values })
      .onConflictDoUpdate({ target: packetIndexes.sourceId, set: values });
  }

  /** The kept packet index of a source as its file is now, if it was read. */
  async packetsOf(row: SourceRow): Promise<Buffer | undefined> {
    const [kept] = await this.database.select().from(packetIndexes).where(eq(packetIndexes.sourceId, row.id));
    return kept?.stamp === stampOf(row) ? Buffer.from(kept.packets) : undefined;
  }

  /** Looks at the files of a project again: those that are gone or came back change their state. */
  async refreshed(projectId: string): Promise<SourceRow[]> {
    const rows = await this.list(projectId);
    return Promise.all(rows.map((row) => this.refresh(row)));
  }

  private async refresh(row: SourceRow): Promise<SourceRow> {
    if (row.state !== 'ready' && row.state !== 'missing') return row;
    const found = await fileState(row);
    if (!found) return this.lose(row);
    // A file that came back otherwise may still be on its way: the watcher reads it when it is whole.
    const isBack = row.state === 'missing' && fileStamp(found) === fileStamp(row);
    return isBack ? this.change(row, { state: 'ready', problem: null }) : row;
  }

  private tell(row: SourceRow): void {
    this.bus.emit({ kind: 'source', source: sourceOf(row) });
  }
}

export function sourceOf(row: SourceRow): Source {
  const { id, projectId, name, state, problem, bytes, facts, contentHash } = row;
  const { drive, bin, tags, stills, structure, strip, sound, damage } = row;
  return {
    ...{ id, projectId, name, state, problem, bytes, facts, contentHash, folder: dirname(row.path) },
    ...{ drive, bin, tags, stills, structure, strip, sound, damage, stamp: stampOf(row) },
  };
}
