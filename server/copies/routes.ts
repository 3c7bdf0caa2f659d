import { checked, copyRequestSchema, type CopyRequest } from '@hone/core/api';
import { sum } from 'd3-array';
import { Router } from 'express';
import { notFound, UserError } from '../http/problems.js';
import type { SourceRow, SourceStore } from '../media/source-store.js';
import type { CopyOrders } from './copy-orders.js';
import { copyOf, type CopyRow, type CopyStore } from './copy-store.js';
import type { CopyEstimator } from './estimate.js';
import { freeBytes, requireRoom } from '../store/free-space.js';

export function copyRoutes(
  sources: SourceStore,
  copies: CopyStore,
  orders: CopyOrders,
  estimator: CopyEstimator,
  folder: string,
): Router {
  const router = Router();

  const wanted = async (projectId: string, { sourceIds }: CopyRequest): Promise<SourceRow[]> => {
    const rows = (await sources.list(projectId)).filter((row) => sourceIds.includes(row.id));
    const unknown = sourceIds.find((id) => !rows.some((row) => row.id === id));
    if (unknown !== undefined) throw notFound('One of the sources');
    const unfit = rows.find((row) => row.state !== 'ready' || !row.facts?.picture);
    if (unfit) {
      const why = unfit.problem ?? 'It has no picture.';
      throw new UserError(409, 'No copy possible', `"${unfit.name}" cannot be copied: ${why}`);
    }
    return Promise.all(rows.map((row) => sources.resolved(row)));
  };

  router.get('/projects/:projectId/copies', async (request, response) => {
    const { projectId } = request.params;
    await copies.markStale(await sources.list(projectId));
    response.json((await copies.list(projectId)).map(copyOf));
  });

  router.post('/projects/:projectId/copies/estimate', async (request, response) => {
    const body = checked(copyRequestSchema, request.body, 'the request');
    const rows = await wanted(request.params.projectId, body);
    response.json(await Promise.all(rows.map((row) => estimator.estimate(row, body.divisor))));
  });

  router.post('/projects/:projectId/copies', async (request, response) => {
    const { projectId } = request.params;
    const body = checked(copyRequestSchema, request.body, 'the request');
    const rows = await wanted(projectId, body);
    const known = await Promise.all(rows.map((row) => estimator.known(row, body.divisor)));
    const bytes = sum(known, (estimate) => estimate?.bytes);
    await requireRoom(folder, bytes, 'The copies take about', 'Make room, or choose a smaller copy size.');
    const made: CopyRow[] = [];
    for (const source of rows) made.push(await orders.order(source, body.divisor));
    response.status(202).json(made.map(copyOf));
  });

  router.get('/copies/room', async (_request, response) => {
    response.json({ freeBytes: await freeBytes(folder) });
  });

  router.delete('/copies/:id', async (request, response) => {
    const row = await copies.get(request.params.id);
    if (row.state === 'making') {
      throw new UserError(
        409,
        'Still being made',
        'Cancel the making of this copy first; it is listed at the bottom.',
      );
    }
    await orders.remove(row);
    response.status(204).end();
  });

  return router;
}
