import { randomUUID } from 'node:crypto';
import { checked, type RunRecord } from '@hone/core/api';
import { FrameLog, LOG_COLUMNS, newRunSchema, pacingSummary } from '@hone/core/playback';
import { desc, eq } from 'drizzle-orm';
import { json, Router } from 'express';
import { notFound, UserError } from '../http/problems.js';
import type { Database } from '../store/database.js';
import { runs } from '../store/tables.js';

/** An hour at 60 frames a second, as base64. */
const LARGEST_LOG = '16mb';
const KEPT_RUNS = 200;

const columns = {
  id: runs.id,
  projectId: runs.projectId,
  startedAt: runs.startedAt,
  facts: runs.facts,
  summary: runs.summary,
};

export function runRoutes(database: Database): Router {
  const router = Router();

  router.get('/projects/:projectId/runs', async (request, response) => {
    const rows: RunRecord[] = await database
      .select(columns)
      .from(runs)
      .where(eq(runs.projectId, request.params.projectId))
      .orderBy(desc(runs.startedAt))
      .limit(KEPT_RUNS);
    response.json(rows);
  });

  router.post('/projects/:projectId/runs', json({ limit: LARGEST_LOG }), async (request, response) => {
    const { facts, log } = checked(newRunSchema, request.body, 'the run');
    const bytes = Buffer.from(log, 'base64');
    const rowBytes = LOG_COLUMNS.length * Float32Array.BYTES_PER_ELEMENT;
    if (bytes.length === 0 || bytes.length % rowBytes !== 0) {
      throw new UserError(
        400,
        'Broken run',
        'The frame log of the run is cut off; the run was not kept. Play again.',
      );
    }
    const values = new Float32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length));
    const row = {
      id: randomUUID(),
      projectId: request.params.projectId,
      startedAt: new Date().toISOString(),
      facts,
      summary: pacingSummary(new FrameLog(facts.firstFrame, values), facts.rate),
      log: bytes,
    };
    await database.insert(runs).values(row);
    const { id, projectId, startedAt, summary } = row;
    response.status(201).json({ id, projectId, startedAt, facts, summary } satisfies RunRecord);
  });

  router.get('/runs/:id/log', async (request, response) => {
    const [row] = await database.select({ log: runs.log }).from(runs).where(eq(runs.id, request.params.id));
    if (!row) throw notFound('This run');
    response.type('application/octet-stream').send(Buffer.from(row.log));
  });

  router.delete('/runs/:id', async (request, response) => {
    await database.delete(runs).where(eq(runs.id, request.params.id));
    response.status(204).end();
  });

  return router;
}
