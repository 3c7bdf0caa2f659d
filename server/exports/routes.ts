import { join } from 'node:path';
import type { Project } from '@hone/core/api';
import { CODEC_CHOICES, exportGraph, exportSources, factsIn, type ExportGraph } from '@hone/core/render';
import { Router } from 'express';
import type { TableStore } from '../effects/table-store.js';
import { UserError } from '../http/problems.js';
import type { JobQueue } from '../jobs/queue.js';
import type { SourceRow, SourceStore } from '../media/source-store.js';
import type { ProjectStore } from '../projects/project-store.js';
import type { MemoryLimits } from '../rig/limits.js';
import { estimateExport } from './estimate.js';
import { exportOf, type ExportStore } from './export-store.js';

interface ExportRouteParts {
  readonly projects: ProjectStore;
  readonly sources: SourceStore;
  readonly exports: ExportStore;
  readonly tables: TableStore;
  readonly limits: MemoryLimits;
  readonly queue: JobQueue;
  readonly ffmpeg: string;
  /** Where exports are kept. */
  readonly folder: string;
}

/** A requested export: its project, graph and sources. */
interface Asked {
  readonly project: Project;
  readonly graph: ExportGraph;
  readonly known: ReadonlyMap<string, SourceRow>;
}

/** A name that no other export of the project has: what it is of and what it is. */
function exportName(
  { name, delivery }: Pick<Project, 'name' | 'delivery'>,
  taken: readonly string[],
): string {
  const { size, codec } = delivery;
  const base = `${name} ${size.width}×${size.height} ${CODEC_CHOICES[codec].name.split(' ')[0]!}`;
  for (let count = 1; ; count++) {
    const each = count === 1 ? base : `${base} ${count}`;
    if (!taken.includes(each)) return each;
  }
}

export function exportRoutes(parts: ExportRouteParts): Router {
  const { projects, sources, exports, queue, folder } = parts;
  const router = Router();

  // @throws UserError when there is nothing to export, or not everything that it needs
  const asked = async (projectId: string): Promise<Asked> => {
    const project = await projects.get(projectId);
    const { timeline, delivery } = project;
    const known = new Map((await sources.refreshed(projectId)).map((row) => [row.id, row]));
    const graph = exportGraph(timeline, delivery, factsIn(known.values()));
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
    return { project, graph, known };
  };

  router.get('/projects/:projectId/exports', async (request, response) => {
    response.json((await exports.list(request.params.projectId)).map(exportOf));
  });

  router.post('/projects/:projectId/exports/estimate', async (request, response) => {
    const { graph, known } = await asked(request.params.projectId);
    const abort = new AbortController();
    response.on('close', () => abort.abort());
    const { tables, limits, ffmpeg } = parts;
    const estimate = await estimateExport({
      graph,
      sources: known,
      tables,
      limits,
      ffmpeg,
      folder,
      signal: abort.signal,
    });
    response.json(estimate);
  });

  router.post('/projects/:projectId/exports', async (request, response) => {
    const { project } = await asked(request.params.projectId);
    const { id: projectId, timeline, delivery } = project;
    const made = await exports.list(projectId);
    const name = exportName(
      project,
      made.map((each) => each.name),
    );
    const row = await exports.add({ projectId, name, timeline, delivery }, (id) =>
      join(folder, `${id}.${CODEC_CHOICES[delivery.codec].ending}`),
    );
    const title = `Export: ${name}`;
    await queue.add({ projectId, kind: 'export', title, subjectId: row.id });
    response.status(202).json(exportOf(row));
  });

  return router;
}
