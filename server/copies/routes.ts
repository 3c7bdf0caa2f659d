import { join } from 'node:path';
import { checked, copyRequestSchema, type CopyRequest } from '@hone/core/api';
import { intraH264 } from '@hone/core/media';
import { Router } from 'express';
import { notFound, UserError } from '../http/problems.js';
import type { JobQueue } from '../jobs/queue.js';
import type { SourceRow, SourceStore } from '../media/source-store.js';
import { copyOf, copyStamp, type CopyRow, type CopyStore } from './copy-store.js';
import type { CopyEstimator } from './estimate.js';
import { copyLayoutOf } from './make-copy.js';

export function copyRoutes(
  sources: SourceStore,
  copies: CopyStore,
  queue: JobQueue,
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

  /** Ends what is still done with a copy, such as comparing it, before it is removed. */
  const removeCopy = async (row: CopyRow): Promise<void> => {
    await queue.endFor([row.id]);
    await copies.remove(row);
  };

  router.post('/projects/:projectId/copies', async (request, response) => {
    const { projectId } = request.params;
    const body = checked(copyRequestSchema, request.body, 'the request');
    const made = [];
    for (const source of await wanted(projectId, body)) {
      const before = await copies.forSource(source.id, body.divisor);
      const inUse =
        before?.state === 'making' || (before?.state === 'ready' && before.sourceStamp === copyStamp(source));
      if (before && !inUse) await removeCopy(before);
      const layout = copyLayoutOf(source, body.divisor);
      const format = intraH264(body.divisor, layout.alphaRow !== null);
      const row =
        before && inUse
          ? before
          : await copies.add({
              projectId,
              sourceId: source.id,
              divisor: body.divisor,
              format: format.label,
              path: join(folder, `${source.id}-${body.divisor}.mp4`),
              ...layout,
              sourceStamp: copyStamp(source),
            });
      if (row.state === 'making') {
        const title = `Light copy of ${source.name}, ${row.width}\u00a0×\u00a0${row.height}`;
        await queue.add({ projectId, kind: 'copy', title, subjectId: row.id });
      }
      made.push(copyOf(row));
    }
    response.status(202).json(made);
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
    await removeCopy(row);
    response.status(204).end();
  });

  return router;
}
