import type {
  CopyState,
  DamagedPart,
  ExportProof,
  ExportRecord,
  Filmstrip,
  JobState,
  Likeness,
  PreparedSound,
  SourceState,
} from '@hone/core/api';
import type { Tuning } from '@hone/core/levers';
import type { CopyDivisor, PictureStructure, SourceFacts, SourceFilter, Stills } from '@hone/core/media';
import type { ContentRun } from '@hone/core/cache';
import type { Finding } from '@hone/core/findings';
import type { PacingSummary, RunFacts, RunSample, ScrubFacts } from '@hone/core/playback';
import type { Delivery } from '@hone/core/render';
import type { Rig } from '@hone/core/machine';
import type { Rational } from '@hone/core/time';
import type { Timeline } from '@hone/core/timeline';
import { blob, index, integer, primaryKey, real, sqliteTable, text } from 'drizzle-orm/sqlite-core';

const json = <T>(name: string) => text(name, { mode: 'json' }).$type<T>();

export const projects = sqliteTable('projects', {
  id: text('id').primaryKey(),
  name: text('name').notNull(),
  timeline: json<Timeline>('timeline').notNull(),
  tuning: json<Tuning>('tuning').notNull(),
  delivery: json<Delivery>('delivery').notNull(),
  filters: json<SourceFilter[]>('filters').notNull(),
  /** Whether size and rate are still to be taken from the first clip. */
  sizeOpen: integer('size_open', { mode: 'boolean' }).notNull(),
  revision: integer('revision').notNull(),
  createdAt: text('created_at').notNull(),
});

/** Timelines as they were kept, so that an earlier one can be opened again. */
export const revisions = sqliteTable(
  'revisions',
  {
    projectId: text('project_id')
      .notNull()
      .references(() => projects.id, { onDelete: 'cascade' }),
    revision: integer('revision').notNull(),
    savedAt: text('saved_at').notNull(),
    timeline: json<Timeline>('timeline').notNull(),
    /** The revision that undo leads to; null at the beginning, and where an older Hone kept it. */
    parent: integer('parent'),
  },
  (table) => [primaryKey({ columns: [table.projectId, table.revision] })],
);

export const sources = sqliteTable(
  'sources',
  {
    id: text('id').primaryKey(),
    projectId: text('project_id')
      .notNull()
      .references(() => projects.id, { onDelete: 'cascade' }),
    name: text('name').notNull(),
    path: text('path').notNull(),
    state: text('state').$type<SourceState>().notNull(),
    problem: text('problem'),
    bytes: integer('bytes').notNull(),
    modifiedMs: real('modified_ms').notNull(),
    facts: json<SourceFacts | null>('facts'),
    contentHash: text('content_hash'),
    /** Hash of size and samples of the file, quick to compare with other files. */
    sampledHash: text('sampled_hash'),
    position: integer('position').notNull(),
    drive: text('drive').notNull(),
    bin: text('bin').notNull(),
    tags: json<string[]>('tags').notNull(),
    stills: json<Stills | null>('stills'),
    structure: json<PictureStructure | null>('structure'),
    strip: json<Filmstrip | null>('strip'),
    sound: json<PreparedSound | null>('sound'),
    damage: json<DamagedPart[] | null>('damage'),
  },
  (table) => [index('sources_by_project').on(table.projectId)],
);

/** Packet indexes, in the form that core/media keeps them in. */
export const packetIndexes = sqliteTable('packet_indexes', {
  sourceId: text('source_id')
    .primaryKey()
    .references(() => sources.id, { onDelete: 'cascade' }),
  /** Size and time of the file that was indexed. */
  stamp: text('stamp').notNull(),
  packets: blob('packets', { mode: 'buffer' }).notNull(),
});

export const copies = sqliteTable(
  'copies',
  {
    id: text('id').primaryKey(),
    sourceId: text('source_id')
      .notNull()
      .references(() => sources.id, { onDelete: 'cascade' }),
    projectId: text('project_id').notNull(),
    divisor: integer('divisor').$type<CopyDivisor>().notNull(),
    format: text('format').notNull(),
    path: text('path').notNull(),
    state: text('state').$type<CopyState>().notNull(),
    width: integer('width').notNull(),
    height: integer('height').notNull(),
    alphaRow: integer('alpha_row'),
    bytes: integer('bytes').notNull(),
    likeness: json<Likeness | null>('likeness'),
    madeInMs: real('made_in_ms'),
    /** Size and time of the source when the copy was made: another file under the same name makes the copy stale. */
    sourceStamp: text('source_stamp').notNull(),
  },
  (table) => [index('copies_by_project').on(table.projectId)],
);

/** Files of the render cache. They belong to content, so that a project that goes takes none from another. */
export const cachedStretches = sqliteTable('cached_stretches', {
  id: text('id').primaryKey(),
  projectId: text('project_id').notNull(),
  rate: json<Rational>('rate').notNull(),
  width: integer('width').notNull(),
  height: integer('height').notNull(),
  frameCount: integer('frame_count').notNull(),
  content: json<readonly ContentRun[]>('content').notNull(),
  format: text('format').notNull(),
  path: text('path').notNull(),
  bytes: integer('bytes').notNull(),
  madeAt: text('made_at').notNull(),
  madeInMs: real('made_in_ms').notNull(),
  usedAt: text('used_at').notNull(),
  uses: integer('uses').notNull(),
  priority: real('priority').notNull(),
});

export const jobs = sqliteTable(
  'jobs',
  {
    id: text('id').primaryKey(),
    projectId: text('project_id').notNull(),
    kind: text('kind').notNull(),
    title: text('title').notNull(),
    subjectId: text('subject_id').notNull(),
    payload: json<unknown>('payload'),
    state: text('state').$type<JobState>().notNull(),
    priority: integer('priority').notNull(),
    progress: real('progress').notNull(),
    problem: text('problem'),
    attempts: integer('attempts').notNull(),
    createdAt: text('created_at').notNull(),
  },
  (table) => [index('jobs_by_state').on(table.state)],
);

export const runs = sqliteTable(
  'runs',
  {
    id: text('id').primaryKey(),
    projectId: text('project_id')
      .notNull()
      .references(() => projects.id, { onDelete: 'cascade' }),
    startedAt: text('started_at').notNull(),
    facts: json<RunFacts>('facts').notNull(),
    summary: json<PacingSummary>('summary').notNull(),
    log: blob('log', { mode: 'buffer' }).notNull(),
    /** Numbers in each row of the log. */
    width: integer('width').notNull(),
    samples: json<RunSample[]>('samples').notNull(),
    notes: text('notes').notNull(),
    findings: json<readonly Finding[]>('findings'),
  },
  (table) => [index('runs_by_project').on(table.projectId)],
);

export const scrubs = sqliteTable(
  'scrubs',
  {
    id: text('id').primaryKey(),
    projectId: text('project_id')
      .notNull()
      .references(() => projects.id, { onDelete: 'cascade' }),
    startedAt: text('started_at').notNull(),
    facts: json<ScrubFacts>('facts').notNull(),
  },
  (table) => [index('scrubs_by_project').on(table.projectId)],
);

/** Rigs: the one measured here, those that were loaded, and settings of this machine. */
export const rigs = sqliteTable('rigs', {
  id: text('id').primaryKey(),
  rig: json<Rig>('rig').notNull(),
});

export const settings = sqliteTable('settings', {
  key: text('key').primaryKey(),
  value: json<unknown>('value'),
});

export const exports = sqliteTable(
  'exports',
  {
    id: text('id').primaryKey(),
    projectId: text('project_id')
      .notNull()
      .references(() => projects.id, { onDelete: 'cascade' }),
    name: text('name').notNull(),
    path: text('path').notNull(),
    state: text('state').$type<ExportRecord['state']>().notNull(),
    timeline: json<Timeline>('timeline').notNull(),
    delivery: json<Delivery>('delivery').notNull(),
    proof: json<ExportProof | null>('proof'),
    bytes: integer('bytes').notNull(),
    createdAt: text('created_at').notNull(),
  },
  (table) => [index('exports_by_project').on(table.projectId)],
);
