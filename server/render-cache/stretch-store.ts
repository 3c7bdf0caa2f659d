import { randomUUID } from 'node:crypto';
import { existsSync } from 'node:fs';
import { copyFile, rename, rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { CachedStretchRecord, RenderCacheSettings } from '@hone/core/api';
import { clockOf, evictionsFor, priorityOf } from '@hone/core/cache';
import { CACHE_FORMAT_CHOICES, cacheFormat, type CacheFormatChoice } from '@hone/core/media';
import { hashText } from '@hone/core/timeline';
import { sum } from 'd3-array';
import { eq, inArray } from 'drizzle-orm';
import type { EventBus } from '../http/events.js';
import { notFound } from '../http/problems.js';
import type { Database } from '../store/database.js';
import { writeAside } from '../store/aside.js';
import { freeBytes } from '../store/free-space.js';
import { readSetting, writeSetting } from '../store/settings.js';
import { cachedStretches } from '../store/tables.js';
import type { CacheFolders } from './cache-folders.js';

export type StretchRow = typeof cachedStretches.$inferSelect;

/** Time after which a file that is read counts as used anew, ms. */
const USED_AGAIN_MS = 60_000;

const QUOTA = 'renderCacheQuota';
const FORMAT = 'renderCacheFormat';
/** Size limit of the cache until it is set, bytes. */
const USUAL_QUOTA_BYTES = 20e9;

/** The files of the render cache. */
export class StretchStore {
  /** Uses of stretches that were evicted, by their content: what is rendered again was worth more than it seemed. */
  private readonly formerUses = new Map<string, number>();

  constructor(
    private readonly database: Database,
    private readonly bus: EventBus,
    readonly folders: CacheFolders,
  ) {}

  async list(): Promise<StretchRow[]> {
    return this.database.select().from(cachedStretches);
  }

  async get(id: string): Promise<StretchRow> {
    const [row] = await this.database.select().from(cachedStretches).where(eq(cachedStretches.id, id));
    if (!row) throw notFound('This cached stretch');
    return row;
  }

  /** A stretch that is played now. @throws UserError 404 when it is gone, or the drive that it lies on */
  async played(id: string): Promise<StretchRow> {
    const row = await this.get(id);
    if (existsSync(row.path)) {
      await this.noteUse(row);
      return row;
    }
    await this.remove([row.id]);
    throw notFound('The file of this cached stretch');
  }

  /** Takes a complete file into the cache. @param file is moved */
  async take(
    file: string,
    values: Omit<StretchRow, 'id' | 'path' | 'madeAt' | 'usedAt' | 'uses' | 'priority'>,
  ): Promise<StretchRow> {
    const id = randomUUID();
    const { folder } = await this.folders.current();
    const now = new Date().toISOString();
    const uses = 1 + (this.formerUses.get(contentKey(values)) ?? 0);
    const row: StretchRow = {
      ...{
        ...values,
        id,
        path: join(folder, `${id}.${cacheFormat(values.format).ending}`),
        madeAt: now,
        usedAt: now,
        uses,
      },
      priority: priorityOf(clockOf(await this.list()), { ...values, uses }),
    };
    await writeAside(row.path, (aside) => moveFile(file, aside));
    await this.database.insert(cachedStretches).values(row);
    this.bus.emit({ kind: 'cachedStretch', stretch: stretchOf(row) });
    return row;
  }

  /** Notes that a stretch is played. */
  private async noteUse(row: StretchRow): Promise<void> {
    const now = new Date();
    if (now.getTime() - new Date(row.usedAt).getTime() < USED_AGAIN_MS) return;
    const used = { ...row, usedAt: now.toISOString(), uses: row.uses + 1 };
    const { usedAt, uses } = used;
    const priority = priorityOf(clockOf(await this.list()), used);
    await this.database
      .update(cachedStretches)
      .set({ usedAt, uses, priority })
      .where(eq(cachedStretches.id, row.id));
  }

  async settings(): Promise<RenderCacheSettings> {
    const kept = await readSetting(this.database, QUOTA);
    const quotaBytes = typeof kept === 'number' ? kept : USUAL_QUOTA_BYTES;
    const { folder, chosen } = await this.folders.current();
    const choice = await readSetting(this.database, FORMAT);
    const format = CACHE_FORMAT_CHOICES.find((each) => each === choice) ?? 'automatic';
    return { quotaBytes, freeBytes: await freeBytes(folder), folder, chosenFolder: chosen, format };
  }

  /** Sets the size limit of the cache, and deletes what does not fit any more. */
  async setQuota(quotaBytes: number): Promise<RenderCacheSettings> {
    await writeSetting(this.database, QUOTA, quotaBytes);
    await this.makeRoom();
    return this.settings();
  }

  /** Puts what is rendered from now on into another folder. @param folder null for Hone's own */
  async setFolder(folder: string | null): Promise<RenderCacheSettings> {
    await this.folders.choose(folder);
    return this.settings();
  }

  /** Codes what is rendered from now on in another way. */
  async setFormat(format: CacheFormatChoice): Promise<void> {
    await writeSetting(this.database, FORMAT, format);
  }

  /**
   * Deletes the least valuable stretches until the cache fits its quota.
   * @param needed identifiers of stretches that stay
   * @returns whether it fits
   */
  async makeRoom(needed: ReadonlySet<string> = new Set()): Promise<boolean> {
    const { quotaBytes } = await this.settings();
    const rows = await this.list();
    const going = new Set(evictionsFor(rows, quotaBytes, (id) => needed.has(id)));
    for (const row of rows) if (going.has(row.id)) this.formerUses.set(contentKey(row), row.uses);
    await this.remove([...going]);
    return sum(rows, ({ id, bytes }) => (going.has(id) ? 0 : bytes)) <= quotaBytes;
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

/** Moves a file, to another drive too. */
async function moveFile(from: string, to: string): Promise<void> {
  try {
    await rename(from, to);
  } catch (error) {
    if (!(error instanceof Error && 'code' in error && error.code === 'EXDEV')) throw error;
    await copyFile(from, to);
    await rm(from);
  }
}

/** Key of what a file shows, and of the size in which it does. */
const contentKey = ({ content, width, height }: Pick<StretchRow, 'content' | 'width' | 'height'>): string =>
  hashText(JSON.stringify([content, width, height]));

export function stretchOf(row: StretchRow): CachedStretchRecord {
  const { id, projectId, rate, width, height, frameCount, content, bytes, format } = row;
  const { madeAt, madeInMs, usedAt } = row;
  const size = { width, height };
  return { id, projectId, rate, size, frameCount, content, bytes, format, madeAt, madeInMs, usedAt };
}
