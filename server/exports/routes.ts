import { join } from 'node:path';
import { CODEC_CHOICES, exportGraph, exportSources } from '@hone/core/render';
import { Router } from 'express';
import { UserError } from '../http/problems.js';
import type { JobQueue } from '../jobs/queue.js';
import type { SourceStore } from '../media/source-store.js';
import type { ProjectStore } from '../projects/project-store.js';
import { exportOf, type ExportStore } from './export-store.js';

export function exportRoutes(
  projects: ProjectStore,
  sources: SourceStore,
  exports: ExportStore,
  queue: JobQueue,
  folder: string,
): Router {
  const router = Router();

  router.get('/projects/:projectId/exports', async (request, response) => {
    response.json((await exports.list(request.params.projectId)).map(exportOf));
  });

  router.post('/projects/:projectId/exports', async (request, response) => {
    const { id: projectId, name, timeline, delivery } = await projects.get(request.params.projectId);
    const known = new Map((await sources.refreshed(projectId)).map((row) => [row.id, row]));
    const graph = exportGraph(timeline, delivery, (id) => known.get(id)?.facts ?? undefined);
    if (graph.graph.length === 0) {
      throw new UserError(
        409,
        'Nothing to export',
        'There is nothing on the timeline yet. Put a clip on it first.',
      );
    }
    const clips = timeline.tracks.flatMap((track) => (track.enabled ? track.clips : []));
    const used = new Set([...exportSources(graph), ...clips.map((clip) => clip.sourceId)]);
    const missing = [...used].filter((id) => known.get(id)?.state !== 'ready').map((id) => known.get(id));
    if (missing.length) {
      const list = missing.map((row) =>
        row ? `"${row.name}" (${row.problem ?? 'not ready'})` : 'an unknown source',
      );
      throw new UserError(409, 'Originals missing', `The export waits for its originals: ${list.join('; ')}`);
    }
    const row = await exports.add({ projectId, name, timeline, delivery }, (id) =>
      join(folder, `${id}.${CODEC_CHOICES[delivery.codec].ending}`),
    );
    const title = `Export of ${name}, ${delivery.size.width} × ${delivery.size.height}`;
    await queue.add({ projectId, kind: 'export', title, subjectId: row.id });
    response.status(202).json(exportOf(row));
  });

  return router;
}
