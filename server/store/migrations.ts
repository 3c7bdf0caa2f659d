import type { Client, InStatement } from '@libsql/client';
import { keepEffectOrder } from './effect-order.js';

/** Statements, or a function that derives them from the database. */
export type Migration = readonly string[] | ((client: Client) => Promise<InStatement[]>);

/**
 * The steps from an empty database to the tables of tables.ts, in order. A step that was released is never changed;
 * a new one is added below it.
 */
export const MIGRATIONS: readonly Migration[] = [
  [
    `CREATE TABLE projects (
       id TEXT PRIMARY KEY, name TEXT NOT NULL, timeline TEXT NOT NULL, tuning TEXT NOT NULL, delivery TEXT NOT NULL,
       size_open INTEGER NOT NULL, revision INTEGER NOT NULL, created_at TEXT NOT NULL)`,
    `CREATE TABLE sources (
       id TEXT PRIMARY KEY, project_id TEXT NOT NULL REFERENCES projects (id) ON DELETE CASCADE, name TEXT NOT NULL,
       path TEXT NOT NULL, state TEXT NOT NULL, problem TEXT, bytes INTEGER NOT NULL, modified_ms REAL NOT NULL,
       facts TEXT, content_hash TEXT, position INTEGER NOT NULL)`,
    `CREATE INDEX sources_by_project ON sources (project_id)`,
    `CREATE TABLE copies (
       id TEXT PRIMARY KEY, source_id TEXT NOT NULL REFERENCES sources (id) ON DELETE CASCADE,
       project_id TEXT NOT NULL, divisor INTEGER NOT NULL, format TEXT NOT NULL, path TEXT NOT NULL,
       state TEXT NOT NULL, width INTEGER NOT NULL, height INTEGER NOT NULL, bytes INTEGER NOT NULL, likeness TEXT,
       made_in_ms REAL, source_stamp TEXT NOT NULL)`,
    `CREATE INDEX copies_by_project ON copies (project_id)`,
    `CREATE TABLE jobs (
       id TEXT PRIMARY KEY, project_id TEXT NOT NULL, kind TEXT NOT NULL, title TEXT NOT NULL,
       subject_id TEXT NOT NULL, payload TEXT, state TEXT NOT NULL, priority INTEGER NOT NULL, progress REAL NOT NULL,
       problem TEXT, attempts INTEGER NOT NULL, created_at TEXT NOT NULL)`,
    `CREATE INDEX jobs_by_state ON jobs (state)`,
    `CREATE TABLE runs (
       id TEXT PRIMARY KEY, project_id TEXT NOT NULL REFERENCES projects (id) ON DELETE CASCADE,
       started_at TEXT NOT NULL, facts TEXT NOT NULL, summary TEXT NOT NULL, log BLOB NOT NULL)`,
    `CREATE INDEX runs_by_project ON runs (project_id)`,
    `CREATE TABLE exports (
       id TEXT PRIMARY KEY, project_id TEXT NOT NULL REFERENCES projects (id) ON DELETE CASCADE, name TEXT NOT NULL,
       path TEXT NOT NULL, state TEXT NOT NULL, timeline TEXT NOT NULL, delivery TEXT NOT NULL, proof TEXT,
       bytes INTEGER NOT NULL, created_at TEXT NOT NULL)`,
    `CREATE INDEX exports_by_project ON exports (project_id)`,
  ],
  [
    `ALTER TABLE sources ADD COLUMN sampled_hash TEXT`,
    `ALTER TABLE sources ADD COLUMN drive TEXT NOT NULL DEFAULT ''`,
    `ALTER TABLE sources ADD COLUMN bin TEXT NOT NULL DEFAULT ''`,
    `ALTER TABLE sources ADD COLUMN tags TEXT NOT NULL DEFAULT '[]'`,
    `ALTER TABLE sources ADD COLUMN stills TEXT`,
    `ALTER TABLE sources ADD COLUMN structure TEXT`,
    `ALTER TABLE sources ADD COLUMN strip TEXT`,
    `ALTER TABLE sources ADD COLUMN sound TEXT`,
    `ALTER TABLE runs ADD COLUMN width INTEGER NOT NULL DEFAULT 10`,
    `ALTER TABLE runs ADD COLUMN samples TEXT NOT NULL DEFAULT '[]'`,
    `ALTER TABLE runs ADD COLUMN notes TEXT NOT NULL DEFAULT ''`,
    `CREATE TABLE scrubs (
       id TEXT PRIMARY KEY, project_id TEXT NOT NULL REFERENCES projects (id) ON DELETE CASCADE,
       started_at TEXT NOT NULL, facts TEXT NOT NULL)`,
    `CREATE INDEX scrubs_by_project ON scrubs (project_id)`,
    `CREATE TABLE rigs (id TEXT PRIMARY KEY, rig TEXT NOT NULL)`,
    `CREATE TABLE settings (key TEXT PRIMARY KEY, value TEXT)`,
    `ALTER TABLE projects ADD COLUMN filters TEXT NOT NULL DEFAULT '[]'`,
    `CREATE TABLE packet_indexes (
       source_id TEXT PRIMARY KEY REFERENCES sources (id) ON DELETE CASCADE, stamp TEXT NOT NULL,
       packets BLOB NOT NULL)`,
  ],
  [
    `CREATE TABLE revisions (
       project_id TEXT NOT NULL REFERENCES projects (id) ON DELETE CASCADE, revision INTEGER NOT NULL,
       saved_at TEXT NOT NULL, timeline TEXT NOT NULL, PRIMARY KEY (project_id, revision))`,
  ],
  [`ALTER TABLE revisions ADD COLUMN parent INTEGER`, `ALTER TABLE sources ADD COLUMN damage TEXT`],
  keepEffectOrder,
  [`ALTER TABLE copies ADD COLUMN alpha_row INTEGER`],
  [`ALTER TABLE runs ADD COLUMN findings TEXT`],
  [
    `CREATE TABLE cached_stretches (
       id TEXT PRIMARY KEY, project_id TEXT NOT NULL, rate TEXT NOT NULL, width INTEGER NOT NULL,
       height INTEGER NOT NULL, frame_count INTEGER NOT NULL, content TEXT NOT NULL, format TEXT NOT NULL,
       path TEXT NOT NULL, bytes INTEGER NOT NULL, made_at TEXT NOT NULL, made_in_ms REAL NOT NULL,
       used_at TEXT NOT NULL, uses INTEGER NOT NULL, priority REAL NOT NULL)`,
  ],
];
