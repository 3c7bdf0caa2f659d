import { randomUUID } from 'node:crypto';
import { stat } from 'node:fs/promises';
import { dirname } from 'node:path';
import type { Source } from '@hone/core/api';
import { asc, eq, max } from 'drizzle-orm';
import type { EventBus } from '../http/events.js';
import { notFound } from '../http/problems.js';
import type { Database } from '../store/database.js';
import { sources } from '../store/tables.js';

export type SourceRow = typeof sources.$inferSelect;

/** Tells one state of a file from another: another size or time is another file. */
export const stampOf = (row: { bytes: number; modifiedMs: number }): string =>
  `${row.bytes}:${row.modifiedMs}`;

export class SourceStore {
  constructor(
    private readonly database: Database,
    private readonly bus: EventBus,
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
      position: (last?.position ?? 0) + 1,
      ...values,
    };
    await this.database.insert(sources).values(row);
    this.tell(row);
    return row;
  }

  async change(row: SourceRow, values: Partial<SourceRow>): Promise<SourceRow> {
    await this.database.update(sources).set(values).where(eq(sources.id, row.id));
    const changed = { ...row, ...values };
    this.tell(changed);
    return changed;
  }

  /** Looks at the files of a project again: those that are gone or came back change their state. */
  async refreshed(projectId: string): Promise<SourceRow[]> {
    const rows = await this.list(projectId);
    return Promise.all(rows.map((row) => this.refresh(row)));
  }

  private async refresh(row: SourceRow): Promise<SourceRow> {
    if (row.state !== 'ready' && row.state !== 'missing') return row;
    const found = await stat(row.path).catch(() => undefined);
    if (!found) {
      if (row.state === 'missing') return row;
      const problem = `The file is not at ${row.path} any more. Connect its drive or put it back.`;
      return this.change(row, { state: 'missing', problem });
    }
    return row.state === 'missing' ? this.change(row, { state: 'ready', problem: null }) : row;
  }

  private tell(row: SourceRow): void {
    this.bus.emit({ kind: 'source', source: sourceOf(row) });
  }
}

export function sourceOf(row: SourceRow): Source {
  const { id, projectId, name, state, problem, bytes, facts, contentHash } = row;
  return {
    id,
    projectId,
    name,
    state,
    problem,
    bytes,
    facts: facts ?? null,
    contentHash,
    folder: dirname(row.path),
  };
}
