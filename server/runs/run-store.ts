import { randomUUID } from 'node:crypto';
import type { RunRecord, ScrubRecord } from '@hone/core/api';
import type { Finding } from '@hone/core/findings';
import {
  FrameLog,
  LOG_COLUMNS,
  OLDER_RUN,
  pacingSummary,
  widenedLog,
  type RunFacts,
  type RunSample,
  type ScrubFacts,
} from '@hone/core/playback';
import { desc, eq } from 'drizzle-orm';
import { notFound } from '../http/problems.js';
import type { Database } from '../store/database.js';
import { runs, scrubs } from '../store/tables.js';

const KEPT = 200;

const columns = {
  id: runs.id,
  projectId: runs.projectId,
  startedAt: runs.startedAt,
  facts: runs.facts,
  summary: runs.summary,
  notes: runs.notes,
  findings: runs.findings,
};

/** Runs with their frame logs and samples, and scrubbing. */
export class RunStore {
  constructor(private readonly database: Database) {}

  async list(projectId: string): Promise<RunRecord[]> {
    const rows = await this.database
      .select(columns)
      .from(runs)
      .where(eq(runs.projectId, projectId))
      .orderBy(desc(runs.startedAt))
      .limit(KEPT);
    return rows.map(recordOf);
  }

  async get(id: string): Promise<RunRecord> {
    const [row] = await this.database.select(columns).from(runs).where(eq(runs.id, id));
    if (!row) throw notFound('This run');
    return recordOf(row);
  }

  async keep(projectId: string, facts: RunFacts, log: FrameLog, samples: RunSample[]): Promise<RunRecord> {
    const row = {
      id: randomUUID(),
      projectId,
      startedAt: new Date().toISOString(),
      facts,
      summary: pacingSummary(log, facts.rate),
      notes: '',
      findings: null,
    };
    const { buffer, byteOffset, byteLength } = log.values;
    const bytes = Buffer.from(buffer as ArrayBuffer, byteOffset, byteLength);
    await this.database.insert(runs).values({ ...row, log: bytes, width: LOG_COLUMNS.length, samples });
    return row;
  }

  async log(id: string): Promise<FrameLog> {
    const [row] = await this.database
      .select({ log: runs.log, width: runs.width, facts: runs.facts })
      .from(runs)
      .where(eq(runs.id, id));
    if (!row) throw notFound('This run');
    const bytes = Uint8Array.from(row.log);
    return new FrameLog(row.facts.firstFrame, widenedLog(new Float32Array(bytes.buffer), row.width));
  }

  async samples(id: string): Promise<RunSample[]> {
    const [row] = await this.database.select({ samples: runs.samples }).from(runs).where(eq(runs.id, id));
    if (!row) throw notFound('This run');
    return row.samples;
  }

  async note(id: string, notes: string): Promise<RunRecord> {
    await this.database.update(runs).set({ notes }).where(eq(runs.id, id));
    return this.get(id);
  }

  async keepFindings(id: string, findings: readonly Finding[]): Promise<RunRecord> {
    await this.database.update(runs).set({ findings }).where(eq(runs.id, id));
    return this.get(id);
  }

  async remove(id: string): Promise<void> {
    const removed = await this.database.delete(runs).where(eq(runs.id, id)).returning({ id: runs.id });
    if (removed.length === 0) throw notFound('This run');
  }

  async scrubs(projectId: string): Promise<ScrubRecord[]> {
    return this.database
      .select()
      .from(scrubs)
      .where(eq(scrubs.projectId, projectId))
      .orderBy(desc(scrubs.startedAt))
      .limit(KEPT);
  }

  async keepScrub(projectId: string, facts: ScrubFacts): Promise<ScrubRecord> {
    const row = { id: randomUUID(), projectId, startedAt: new Date().toISOString(), facts };
    await this.database.insert(scrubs).values(row);
    return row;
  }
}

const recordOf = (row: RunRecord): RunRecord => ({ ...row, facts: { ...OLDER_RUN, ...row.facts } });
