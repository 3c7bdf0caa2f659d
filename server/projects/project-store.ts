import { randomUUID } from 'node:crypto';
import type { NewProject, Project, ProjectChange, ProjectEntry, ProjectRevision } from '@hone/core/api';
import { FIRST_TUNING, type Tuning } from '@hone/core/levers';
import type { SourceFilter } from '@hone/core/media';
import { defaultDelivery } from '@hone/core/render';
import { rational } from '@hone/core/time';
import { emptyTimeline, timelineLength, type Timeline } from '@hone/core/timeline';
import { and, desc, eq, lte } from 'drizzle-orm';
import type { EventBus } from '../http/events.js';
import { notFound, UserError } from '../http/problems.js';
import type { Database } from '../store/database.js';
import { jobs, projects, revisions } from '../store/tables.js';
import { projectOverview } from './project-overview.js';

type ProjectRow = typeof projects.$inferSelect;

/** Earlier timelines that can be opened again. */
const MOST_REVISIONS = 50;
const STAND_IN_SIZE = { width: 1920, height: 1080 };

export class ProjectStore {
  constructor(
    private readonly database: Database,
    private readonly bus: EventBus,
  ) {}

  list(): Promise<ProjectEntry[]> {
    return projectOverview(this.database);
  }

  /** Keeps the first revision of a project whose row was just written. */
  async begin(id: string): Promise<Project> {
    const row = await this.row(id);
    await this.keepRevision(row, null);
    return this.projectOf(row);
  }

  async get(id: string): Promise<Project> {
    return this.projectOf(await this.row(id));
  }

  /** @throws UserError when there is no such project */
  async requireKnown(id: string): Promise<void> {
    const [known] = await this.database.select({ id: projects.id }).from(projects).where(eq(projects.id, id));
    if (!known) throw notFound('This project');
  }

  async create({ name, size, rate }: NewProject, id: string = randomUUID()): Promise<Project> {
    const timeline = emptyTimeline(rate ?? rational(24), size ?? STAND_IN_SIZE);
    const row: ProjectRow = {
      id,
      name,
      timeline,
      tuning: FIRST_TUNING,
      delivery: defaultDelivery(timeline.size),
      filters: [],
      sizeOpen: size === undefined || rate === undefined,
      revision: 0,
      createdAt: new Date().toISOString(),
    };
    await this.database.insert(projects).values(row);
    return this.begin(id);
  }

  /**
   * Takes a changed timeline and delivery.
   * @throws UserError when the change is based on an older revision than the one kept
   */
  async change(id: string, { revision, timeline, delivery, parent }: ProjectChange): Promise<Project> {
    await this.row(id);
    const changed = await this.database
      .update(projects)
      .set({ timeline, delivery, revision: revision + 1 })
      .where(and(eq(projects.id, id), eq(projects.revision, revision)))
      .returning();
    const row = changed[0];
    if (!row) {
      const detail =
        'The project was changed in another window. Reload the page to continue with the saved version.';
      throw new UserError(409, 'Changed elsewhere', detail);
    }
    await this.keepRevision(row, parent === undefined ? revision : parent);
    return this.told(row);
  }

  /** The last revisions that were kept, the newest first. */
  async revisions(id: string): Promise<ProjectRevision[]> {
    await this.row(id);
    const rows = await this.database
      .select()
      .from(revisions)
      .where(eq(revisions.projectId, id))
      .orderBy(desc(revisions.revision));
    return rows.map(({ revision, savedAt, timeline }) => ({
      revision,
      savedAt,
      clips: timeline.tracks.reduce((sum, { clips }) => sum + clips.length, 0),
      frames: timelineLength(timeline),
    }));
  }

  async timelineAt(id: string, revision: number): Promise<Timeline> {
    if (!Number.isInteger(revision)) throw notFound('This revision');
    const [row] = await this.database
      .select()
      .from(revisions)
      .where(and(eq(revisions.projectId, id), eq(revisions.revision, revision)));
    if (!row) throw notFound('This revision');
    return row.timeline;
  }

  async rename(id: string, name: string): Promise<Project> {
    const row = await this.row(id);
    await this.database.update(projects).set({ name }).where(eq(projects.id, id));
    return this.told({ ...row, name });
  }

  async remove(id: string): Promise<void> {
    await this.database.delete(projects).where(eq(projects.id, id));
    await this.database.delete(jobs).where(eq(jobs.projectId, id));
    this.bus.emit({ kind: 'projectGone', projectId: id });
  }

  async tune(id: string, tuning: Tuning): Promise<Project> {
    await this.row(id);
    await this.database.update(projects).set({ tuning }).where(eq(projects.id, id));
    return this.get(id);
  }

  async keepFilters(id: string, filters: readonly SourceFilter[]): Promise<Project> {
    await this.row(id);
    await this.database
      .update(projects)
      .set({ filters: [...filters] })
      .where(eq(projects.id, id));
    return this.get(id);
  }

  private async keepRevision({ id, revision, timeline }: ProjectRow, parent: number | null): Promise<void> {
    const savedAt = new Date().toISOString();
    await this.database
      .insert(revisions)
      .values({ projectId: id, revision, savedAt, timeline, parent })
      .onConflictDoNothing();
    await this.database
      .delete(revisions)
      .where(and(eq(revisions.projectId, id), lte(revisions.revision, revision - MOST_REVISIONS)));
  }

  private async row(id: string): Promise<ProjectRow> {
    const [row] = await this.database.select().from(projects).where(eq(projects.id, id));
    if (!row) throw notFound('This project');
    return row;
  }

  private async told(row: ProjectRow): Promise<Project> {
    const project = await this.projectOf(row);
    this.bus.emit({ kind: 'project', project });
    return project;
  }

  private async projectOf(row: ProjectRow): Promise<Project> {
    const { id, name, timeline, tuning, delivery, filters, revision, createdAt } = row;
    const takesFirstShape = row.sizeOpen && timelineLength(timeline) === 0;
    const ancestors = await this.ancestorsOf(row);
    return { id, name, timeline, tuning, delivery, filters, revision, ancestors, takesFirstShape, createdAt };
  }

  private async ancestorsOf({ id, revision }: ProjectRow): Promise<number[]> {
    const rows = await this.database
      .select({ revision: revisions.revision, parent: revisions.parent })
      .from(revisions)
      .where(eq(revisions.projectId, id));
    const parents = new Map(rows.map((each) => [each.revision, each.parent]));
    const ancestors: number[] = [];
    for (
      let at = parents.get(revision);
      at !== null && at !== undefined && parents.has(at);
      at = parents.get(at)
    ) {
      // Whoever sends parents that lead round in a circle gets no further than that.
      if (ancestors.includes(at)) break;
      ancestors.push(at);
    }
    return ancestors;
  }
}
