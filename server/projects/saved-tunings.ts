import { checked } from '@hone/core/api';
import { savedTuningsSchema, type SavedTuning } from '@hone/core/levers';
import { eq } from 'drizzle-orm';
import { Router } from 'express';
import type { Database } from '../store/database.js';
import { settings } from '../store/tables.js';

const TUNINGS = 'tunings';

/** Routes of the tunings that were saved under names. */
export function savedTuningRoutes(database: Database): Router {
  const router = Router();

  router.get('/tunings', async (_request, response) => {
    const [row] = await database.select().from(settings).where(eq(settings.key, TUNINGS));
    response.json((row?.value as SavedTuning[] | undefined) ?? []);
  });

  router.put('/tunings', async (request, response) => {
    const tunings = checked(savedTuningsSchema, request.body, 'the tunings');
    await database
      .insert(settings)
      .values({ key: TUNINGS, value: tunings })
      .onConflictDoUpdate({ target: settings.key, set: { value: tunings } });
    response.json(tunings);
  });

  return router;
}
