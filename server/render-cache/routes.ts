import { randomUUID } from 'node:crypto';
import {
  cachedStretchRemovalSchema,
  checked,
  renderCacheChangeSchema,
  renderRequestSchema,
} from '@hone/core/api';
import { graphAt } from '@hone/core/cache';
import { factsIn, renderGraph, sourcesOf, stretchesIn } from '@hone/core/render';
import { formatTimecode, timecodeFormatOf, toNumber } from '@hone/core/time';
import { mergeRanges } from '@hone/core/timeline';
import { sum } from 'd3-array';
import { Router } from 'express';
import { UserError } from '../http/problems.js';
import type { JobQueue } from '../jobs/queue.js';
import type { SourceStore } from '../media/source-store.js';
import type { ProjectStore } from '../projects/project-store.js';
import { requireRoom } from '../store/free-space.js';
import type { StretchOrder } from './render-stretch.js';
import type { RigStore } from '../rig/rig-store.js';
import { formatFor } from './format.js';
import { stretchOf, type StretchStore } from './stretch-store.js';

/** Bytes that a cached pixel takes at most: by the demo's noisiest footage, and as planes of 4:2:0. */
const BYTES_PER_PIXEL = 0.6;
const LOSSLESS_BYTES_PER_PIXEL = 1.5;

/** Routes of the render cache. */
export function renderCacheRoutes(
  projects: ProjectStore,
  sources: SourceStore,
  stretches: StretchStore,
  queue: JobQueue,
  rigs: RigStore,
): Router {
  const router = Router();

  router.get('/cached-stretches', async (_request, response) => {
    response.json((await stretches.list()).map(stretchOf));
  });

  router.post('/projects/:projectId/cached-stretches', async (request, response) => {
    const { projectId } = request.params;
    const { ranges, size, point, keepIds } = checked(renderRequestSchema, request.body, 'the request');
    const { timeline } = await projects.get(projectId);
    const known = new Map((await sources.refreshed(projectId)).map((row) => [row.id, row]));
    const factsOf = factsIn(known.values());
    const graph = graphAt(renderGraph(timeline, factsOf), point, factsOf);
    const shown = mergeRanges(ranges)
      .flatMap((range) => stretchesIn(graph, range))
      .filter(({ layers }) => layers.length);
    const needed = sourcesOf({ ...graph, stretches: shown, sound: [] });
    if (needed.length === 0)
      throw new UserError(409, 'Nothing to render', 'There is no picture in these frames of the timeline.');
    const missing = needed.map((id) => known.get(id)).find((row) => row?.state !== 'ready');
    if (missing)
      throw new UserError(
        409,
        'Original missing',
        `"${missing.name}" cannot be read (${missing.problem ?? 'not ready'}), so these frames cannot be rendered.`,
      );
    const frames = sum(shown, ({ from, to }) => to - from);
    const pictures = { size, framesPerSecond: toNumber(graph.rate) };
    const { isLossless } = await formatFor(pictures, { stretches, rigs });
    const pixelBytes = isLossless ? LOSSLESS_BYTES_PER_PIXEL : BYTES_PER_PIXEL;
    const bytes = frames * size.width * size.height * pixelBytes;
    const remedy = 'Make room, choose another folder for the render cache, or render fewer frames.';
    const { folder } = await stretches.folders.current();
    await requireRoom(folder, bytes, 'These frames take up to', remedy);
    const payload: StretchOrder = { timeline, ranges, size, ...(point && { point }), keepIds };
    const format = timecodeFormatOf(timeline.rate, timeline.dropFrame);
    const first = formatTimecode(timeline.startFrame + shown[0]!.from, format);
    const title = `Render of ${frames} ${frames === 1 ? 'frame' : 'frames'} from ${first}`;
    const job = await queue.add({ projectId, kind: 'stretch', title, subjectId: randomUUID(), payload });
    response.status(202).json(job);
  });

  router.get('/render-cache/settings', async (_request, response) => {
    response.json(await stretches.settings());
  });

  router.put('/render-cache/settings', async (request, response) => {
    const { quotaBytes, folder, format } = checked(renderCacheChangeSchema, request.body, 'the request');
    if (folder !== undefined) await stretches.setFolder(folder);
    if (format !== undefined) await stretches.setFormat(format);
    if (quotaBytes !== undefined) await stretches.setQuota(quotaBytes);
    response.json(await stretches.settings());
  });

  router.post('/cached-stretches/removal', async (request, response) => {
    const { ids } = checked(cachedStretchRemovalSchema, request.body, 'the request');
    await stretches.remove(ids);
    response.status(204).end();
  });

  return router;
}
