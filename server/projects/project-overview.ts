import type { ProjectEntry } from '@hone/core/api';
import { timelineLength, type Timeline } from '@hone/core/timeline';
import { and, asc, desc, eq, isNotNull, sql } from 'drizzle-orm';
import { sourceOf } from '../media/source-store.js';
import type { Database } from '../store/database.js';
import { projects, runs, sources } from '../store/tables.js';

/** All projects, the oldest first, each with a picture of its first clip and its last run. */
export async function projectOverview(database: Database): Promise<ProjectEntry[]> {
  const { id, name, createdAt, timeline } = projects;
  const rows = await database
    .select({ id, name, createdAt, timeline })
    .from(projects)
    .orderBy(asc(createdAt));
  return Promise.all(
    rows.map(async (row) => ({
      ...{ id: row.id, name: row.name, createdAt: row.createdAt },
      ...{ frames: timelineLength(row.timeline), rate: row.timeline.rate, size: row.timeline.size },
      picture: await pictureOf(database, row.id, row.timeline),
      lastRun: await lastRunOf(database, row.id),
    })),
  );
}

async function pictureOf(
  database: Database,
  projectId: string,
  { tracks }: Timeline,
): Promise<ProjectEntry['picture']> {
  const rows = await database
    .select()
    .from(sources)
    .where(and(eq(sources.projectId, projectId), isNotNull(sources.strip)))
    .orderBy(asc(sources.position));
  const clips = tracks.filter(({ kind }) => kind === 'picture').flatMap((track) => track.clips);
  const seen = clips.map(({ sourceId }) => rows.find(({ id }) => id === sourceId)).find(Boolean);
  const row = seen ?? rows[0];
  return row ? { sourceId: row.id, stamp: sourceOf(row).stamp, pictures: row.strip!.pictures } : null;
}

async function lastRunOf(database: Database, projectId: string): Promise<ProjectEntry['lastRun']> {
  const [last] = await database
    .select({ summary: runs.summary })
    .from(runs)
    .where(and(eq(runs.projectId, projectId), sql`json_extract(${runs.facts}, '$.subjectId') is null`))
    .orderBy(desc(runs.startedAt))
    .limit(1);
  return last?.summary ?? null;
}
