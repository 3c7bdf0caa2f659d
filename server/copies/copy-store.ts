import { randomUUID } from 'node:crypto';
import { rm } from 'node:fs/promises';
import { dirname } from 'node:path';
import type { LightCopy } from '@hone/core/api';
import { interpretedStamp } from '@hone/core/media';
import { and, eq } from 'drizzle-orm';
import type { EventBus } from '../http/events.js';
import { notFound } from '../http/problems.js';
import type { Database } from '../store/database.js';
import { copies } from '../store/tables.js';
import { fileStamp, stampOf, type SourceRow } from '../media/source-store.js';

export type CopyRow = typeof copies.$inferSelect;

export class CopyStore {
  constructor(
    private readonly database: Database,
    private readonly bus: EventBus,
  ) {}

  async list(projectId: string): Promise<CopyRow[]> {
    return this.database.select().from(copies).where(eq(copies.projectId, projectId));
  }

  /** The copies of all projects. */
  async all(): Promise<CopyRow[]> {
    return this.database.select().from(copies);
  }

  async of(sourceId: string): Promise<CopyRow[]> {
    return this.database.select().from(copies).where(eq(copies.sourceId, sourceId));
  }

  async get(id: string): Promise<CopyRow> {
    const [row] = await this.database.select().from(copies).where(eq(copies.id, id));
    if (!row) throw notFound('This light copy');
    return row;
  }

  async forSource(sourceId: string, divisor: number): Promise<CopyRow | undefined> {
    const [row] = await this.database
      .select()
      .from(copies)
      .where(and(eq(copies.sourceId, sourceId), eq(copies.divisor, divisor as CopyRow['divisor'])));
    return row;
  }

  async add(values: Omit<CopyRow, 'id' | 'bytes' | 'likeness' | 'madeInMs' | 'state'>): Promise<CopyRow> {
    const row: CopyRow = {
      ...values,
      id: randomUUID(),
      state: 'making',
      bytes: 0,
      likeness: null,
      madeInMs: null,
    };
    await this.database.insert(copies).values(row);
    this.tell(row);
    return row;
  }

  async change(row: CopyRow, values: Partial<CopyRow>): Promise<CopyRow> {
    await this.database.update(copies).set(values).where(eq(copies.id, row.id));
    const changed = { ...row, ...values };
    this.tell(changed);
    return changed;
  }

  async remove(row: CopyRow): Promise<void> {
    await this.database.delete(copies).where(eq(copies.id, row.id));
    this.bus.emit({ kind: 'copyGone', copyId: row.id, projectId: row.projectId });
    await rm(row.path, { force: true });
  }

  /** Marks the copies whose source is another file now. */
  async markStale(rows: readonly SourceRow[]): Promise<void> {
    for (const source of rows) {
      for (const copy of await this.of(source.id)) {
        if (copy.state === 'ready' && !isOf(copy, source)) await this.change(copy, { state: 'stale' });
      }
    }
  }

  private tell(row: CopyRow): void {
    this.bus.emit({ kind: 'copy', copy: copyOf(row) });
  }
}

/** Key of a source for its copies: content, and interpretation of alpha. */
export const copyStamp = (source: SourceRow): string =>
  interpretedStamp(stampOf(source), source.facts?.picture);

/** Whether a copy was made of what a source is now. Older copies name the time of the file, newer ones its content. */
function isOf({ sourceStamp, alphaRow }: CopyRow, source: SourceRow): boolean {
  if ((alphaRow !== null) !== (source.facts?.picture?.alpha === true)) return false;
  return sourceStamp === copyStamp(source) || sourceStamp === fileStamp(source);
}

export function copyOf(row: CopyRow): LightCopy {
  const { id, sourceId, projectId, divisor, format, path, state, width, height, alphaRow } = row;
  const { bytes, likeness, madeInMs } = row;
  const folder = dirname(path);
  return {
    id,
    sourceId,
    projectId,
    divisor,
    format,
    folder,
    state,
    width,
    height,
    alphaRow,
    bytes,
    likeness,
    madeInMs,
  };
}
