import { Router } from 'express';
import { UserError } from '../http/problems.js';
import type { JobQueue } from './queue.js';

export function jobRoutes(queue: JobQueue): Router {
  const router = Router();

  router.get('/projects/:projectId/jobs', async (request, response) => {
    response.json(await queue.list(request.params.projectId));
  });

  router.post('/jobs/:id/cancel', async (request, response) => {
    const job = await queue.cancel(request.params.id);
    if (!job)
      throw new UserError(409, 'Already over', 'This work has ended; there is nothing left to cancel.');
    response.json(job);
  });

  return router;
}
