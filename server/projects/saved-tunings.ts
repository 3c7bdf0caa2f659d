import { checked } from '@hone/core/api';
import { savedTuningsSchema, type SavedTuning } from '@hone/core/levers';
import { Router } from 'express';
import type { Database } from '../store/database.js';
import { readSetting, writeSetting } from '../store/settings.js';

const TUNINGS = 'tunings';

/** Routes of the tunings that were saved under names. */
export function savedTuningRoutes(database: Database): Router {
  const router = Router();

  router.get('/tunings', async (_request, response) => {
    response.json(((await readSetting(database, TUNINGS)) as SavedTuning[] | undefined) ?? []);
  });

  router.put('/tunings', async (request, response) => {
    const tunings = checked(savedTuningsSchema, request.body, 'the tunings');
    await writeSetting(database, TUNINGS, tunings);
    response.json(tunings);
  });

  return router;
}
