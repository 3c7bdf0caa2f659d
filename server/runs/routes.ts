import { checked } from '@hone/core/api';
import { runFindingsSchema } from '@hone/core/findings';
import { FrameLog, LOG_COLUMNS, newRunSchema, runNotesSchema, scrubFactsSchema } from '@hone/core/playback';
import { Router } from 'express';
import { jsonBody } from '../http/bodies.js';
import { UserError } from '../http/problems.js';
import { playbackHold } from '../process/playback-hold.js';
import { connectionOf } from '../rig/external-load.js';
import type { Sampler } from '../rig/sampler.js';
import { csvOf, framesOf } from './report.js';
import type { RunStore } from './run-store.js';

/** An hour at 60 frames a second, as base64. */
const LARGEST_LOG = '16mb';

export function runRoutes(runs: RunStore, sampler: Sampler): Router {
  const router = Router();
  const small = jsonBody('100kb');

  router.get('/projects/:projectId/runs', async (request, response) => {
    response.json(await runs.list(request.params.projectId));
  });

  router.get('/sampling', (_request, response) => {
    const coreShare = sampler.coreShare();
    // Whoever asks while a run is sampled still plays.
    if (coreShare !== null) playbackHold.hold();
    response.json({ coreShare });
  });

  router.post('/sampling', async ({ socket }, response) => {
    playbackHold.hold();
    await sampler.start(connectionOf(socket));
    response.status(204).end();
  });

  router.post('/projects/:projectId/runs', jsonBody(LARGEST_LOG), async (request, response) => {
    const { facts, log, pressedAt } = checked(newRunSchema, request.body, 'the run');
    const bytes = Buffer.from(log, 'base64');
    const rowBytes = LOG_COLUMNS.length * Float32Array.BYTES_PER_ELEMENT;
    if (bytes.length === 0 || bytes.length % rowBytes !== 0) {
      throw new UserError(
        400,
        'Broken run',
        'The frame log of the run is cut off; the run was not kept. Play again.',
      );
    }
    const values = new Float32Array(Uint8Array.from(bytes).buffer);
    const samples = sampler.since(pressedAt);
    const othersShare = await sampler.othersShare();
    sampler.stop();
    playbackHold.release();
    const kept = await runs.keep(
      request.params.projectId,
      { ...facts, othersShare },
      new FrameLog(facts.firstFrame, values),
      samples,
    );
    response.status(201).json(kept);
  });

  router.get('/runs/:id/log', async (request, response) => {
    const { values } = await runs.log(request.params.id);
    response.type('application/octet-stream').send(Buffer.from(values.buffer as ArrayBuffer));
  });

  router.get('/runs/:id/samples', async (request, response) => {
    response.json(await runs.samples(request.params.id));
  });

  router.get('/runs/:id/report.csv', async (request, response) => {
    const log = await runs.log(request.params.id);
    response
      .attachment(`run-${request.params.id.slice(0, 8)}.csv`)
      .type('text/csv')
      .send(csvOf(log));
  });

  router.get('/runs/:id/report.json', async (request, response) => {
    const { id } = request.params;
    const record = await runs.get(id);
    const samples = await runs.samples(id);
    response.attachment(`run-${id.slice(0, 8)}.json`);
    response.json({ ...record, samples, frames: framesOf(await runs.log(id)) });
  });

  router.put('/runs/:id/notes', small, async (request, response) => {
    const { notes } = checked(runNotesSchema, request.body, 'the notes');
    response.json(await runs.note(request.params.id, notes));
  });

  router.put('/runs/:id/findings', jsonBody('1mb'), async (request, response) => {
    const { findings } = checked(runFindingsSchema, request.body, 'the findings');
    response.json(await runs.keepFindings(request.params.id, findings));
  });

  router.delete('/runs/:id', async (request, response) => {
    await runs.remove(request.params.id);
    response.status(204).end();
  });

  router.get('/projects/:projectId/scrubs', async (request, response) => {
    response.json(await runs.scrubs(request.params.projectId));
  });

  router.post('/projects/:projectId/scrubs', small, async (request, response) => {
    const facts = checked(scrubFactsSchema, request.body, 'the scrubbing');
    response.status(201).json(await runs.keepScrub(request.params.projectId, facts));
  });

  return router;
}
