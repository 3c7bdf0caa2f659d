import { randomUUID } from 'node:crypto';
import type { Project } from '@hone/core/api';
import type { Timeline } from '@hone/core/timeline';
import { asc, eq, inArray } from 'drizzle-orm';
import type { Importer } from '../media/import.js';
import type { SourceRow } from '../media/source-store.js';
import type { Database } from '../store/database.js';
import { packetIndexes, projects, sources } from '../store/tables.js';
import type { ProjectStore } from './project-store.js';

/**
 * Duplicates projects: timeline, tuning, delivery, filters and sources. Runs, exports and light copies stay with the
 * original; thumbnails and sound are prepared anew.
 */
export class ProjectDuplicator {
  constructor(
    private readonly database: Database,
    private readonly store: ProjectStore,
    private readonly importer: Importer,
  ) {}

  /** @throws UserError when there is no such project */
  async duplicate(id: string): Promise<Project> {
    const { name } = await this.store.get(id);
    const [original] = await this.database.select().from(projects).where(eq(projects.id, id));
    const rows = await this.database
      .select()
      .from(sources)
      .where(eq(sources.projectId, id))
      .orderBy(asc(sources.position));
    const projectId = randomUUID();
    const newIds = new Map(rows.map((row) => [row.id, randomUUID()]));
    const named = await this.database.select({ name: projects.name }).from(projects);
    const names = new Set(named.map((each) => each.name));
    const timeline = withSources(original!.timeline, newIds);
    const added = rows.map((row): SourceRow => {
      const made = { strip: null, sound: null };
      return { ...row, ...made, id: newIds.get(row.id)!, projectId };
    });
    const indexes = await this.database
      .select()
      .from(packetIndexes)
      .where(inArray(packetIndexes.sourceId, [...newIds.keys()]));
    const values = {
      ...original!,
      ...{ id: projectId, name: freeName(name, names), timeline, revision: 0 },
      createdAt: new Date().toISOString(),
    };
    // All at once: a project whose sources are not there must not be seen.
    await this.database.batch([
      this.database.insert(projects).values(values),
      ...added.map((row) => this.database.insert(sources).values(row)),
      ...indexes.map((index) =>
        this.database.insert(packetIndexes).values({ ...index, sourceId: newIds.get(index.sourceId)! }),
      ),
    ]);
    for (const row of added) await this.importer.prepare(row);
    return this.store.begin(projectId);
  }
}

const withSources = (timeline: Timeline, newIds: ReadonlyMap<string, string>): Timeline => ({
  ...timeline,
  tracks: timeline.tracks.map((track) => ({
    ...track,
    clips: track.clips.map((clip) => ({ ...clip, sourceId: newIds.get(clip.sourceId) ?? clip.sourceId })),
  })),
});

function freeName(name: string, names: ReadonlySet<string>): string {
  const base = `${name.replace(/ copy( \d+)?$/, '').slice(0, 190)} copy`;
  for (let number = 2, free = base; ; free = `${base} ${number++}`) if (!names.has(free)) return free;
}
