import { randomUUID } from 'node:crypto';
import { rename, rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { CachedStretchRecord } from '@hone/core/api';
import { eq, inArray } from 'drizzle-orm';
import type { EventBus } from '../http/events.js';
import { notFound } from '../http/problems.js';
import type { Database } from '../store/database.js';
import { cachedStretches } from '../store/tables.js';

export type StretchRow = typeof cachedStretches.$inferSelect;

/** Time after which a file that is read counts as used anew, ms. */
const USED_AGAIN_MS = 60_000;

/** The files of the render cache. */
export class StretchStore {
  constructor(
    private readonly database: Database,
    private readonly bus: EventBus,
    /** Folder of the files. */
    readonly folder: string,
  ) {}

  async list(): Promise<StretchRow[]> {
    return this.database.select().from(cachedStretches);
  }

  async get(id: string): Promise<StretchRow> {
    const [row] = await this.database.select().from(cachedStretches).where(eq(cachedStretches.id, id));
    if (!row) throw notFound('This cached stretch');
    return row;
  }

  /** Takes a complete file into the cache. @param file is moved */
  async take(
    file: string,
    values: Omit<StretchRow, 'id' | 'path' | 'madeAt' | 'usedAt'>,
  ): Promise<StretchRow> {
    const id = randomUUID();
    const now = new Date().toISOString();
    const row: StretchRow = { ...values, id, path: join(this.folder, `${id}.mp4`), madeAt: now, usedAt: now };
    await rename(file, row.path);
    await this.database.insert(cachedStretches).values(row);
    this.bus.emit({ kind: 'cachedStretch', stretch: stretchOf(row) });
    return row;
  }

  /** Notes that a stretch is played. */
  async noteUse(row: StretchRow): Promise<void> {
    const now = new Date();
    if (now.getTime() - new Date(row.usedAt).getTime() < USED_AGAIN_MS) return;
    const usedAt = now.toISOString();
    await this.database.update(cachedStretches).set({ usedAt }).where(eq(cachedStretches.id, row.id));
  }

  /** Deletes stretches; those that are gone already do not matter. */
  async remove(ids: readonly string[]): Promise<void> {
    const rows = await this.database
      .select()
      .from(cachedStretches)
      .where(inArray(cachedStretches.id, [...ids]));
    for (const { id, path } of rows) {
      await this.database.delete(cachedStretches).where(eq(cachedStretches.id, id));
      this.bus.emit({ kind: 'cachedStretchGone', stretchId: id });
      await rm(path, { force: true });
    }
  }
}

export function stretchOf(row: StretchRow): CachedStretchRecord {
  const { id, projectId, rate, width, height, frameCount, content, bytes, format } = row;
  const { madeAt, madeInMs, usedAt } = row;
  const size = { width, height };
  return { id, projectId, rate, size, frameCount, content, bytes, format, madeAt, madeInMs, usedAt };
}
