import { randomUUID } from 'node:crypto';
import type { ExportRecord } from '@hone/core/api';
import { desc, eq } from 'drizzle-orm';
import type { EventBus } from '../http/events.js';
import { notFound } from '../http/problems.js';
import type { Database } from '../store/database.js';
import { exports } from '../store/tables.js';

export type ExportRow = typeof exports.$inferSelect;

export class ExportStore {
  constructor(
    private readonly database: Database,
    private readonly bus: EventBus,
  ) {}

  async list(projectId: string): Promise<ExportRow[]> {
    return this.database
      .select()
      .from(exports)
      .where(eq(exports.projectId, projectId))
      .orderBy(desc(exports.createdAt));
  }

  /** The exports of all projects. */
  async all(): Promise<ExportRow[]> {
    return this.database.select().from(exports);
  }

  async get(id: string): Promise<ExportRow> {
    const [row] = await this.database.select().from(exports).where(eq(exports.id, id));
    if (!row) throw notFound('This export');
    return row;
  }

  async add(
    values: Pick<ExportRow, 'projectId' | 'name' | 'timeline' | 'delivery'>,
    pathOf: (id: string) => string,
  ): Promise<ExportRow> {
    const id = randomUUID();
    const row: ExportRow = {
      ...values,
      id,
      path: pathOf(id),
      state: 'making',
      proof: null,
      bytes: 0,
      createdAt: new Date().toISOString(),
    };
    await this.database.insert(exports).values(row);
    this.tell(row);
    return row;
  }

  async change(row: ExportRow, values: Partial<ExportRow>): Promise<ExportRow> {
    await this.database.update(exports).set(values).where(eq(exports.id, row.id));
    const changed = { ...row, ...values };
    this.tell(changed);
    return changed;
  }

  private tell(row: ExportRow): void {
    this.bus.emit({ kind: 'export', record: exportOf(row) });
  }
}

export function exportOf({
  id,
  projectId,
  name,
  state,
  delivery,
  proof,
  bytes,
  createdAt,
}: ExportRow): ExportRecord {
  return { id, projectId, name, state, delivery, proof: proof ?? null, bytes, createdAt };
}
