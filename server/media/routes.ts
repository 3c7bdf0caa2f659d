import { join } from 'node:path';
import { checked, importRequestSchema } from '@hone/core/api';
import { Router } from 'express';
import { UserError } from '../http/problems.js';
import type { ProjectStore } from '../projects/project-store.js';
import type { Folders } from './folders.js';
import type { Importer } from './import.js';
import { sourceOf, type SourceRow, type SourceStore } from './source-store.js';

export function sourceRoutes(
  projects: ProjectStore,
  sources: SourceStore,
  importer: Importer,
  folders: Folders,
  uploadFolder: string,
): Router {
  const router = Router();

  const adopted = async (row: SourceRow): Promise<SourceRow> => {
    if (row.state === 'ready' && row.facts) await projects.adopt(row.projectId, row.facts);
    return row;
  };

  router.get('/folders', async (_request, response) => {
    response.json(await folders.list());
  });

  router.get('/folders/:id', async (request, response) => {
    response.json(await folders.open(request.params.id));
  });

  router.get('/projects/:projectId/sources', async (request, response) => {
    response.json((await sources.refreshed(request.params.projectId)).map(sourceOf));
  });

  router.post('/projects/:projectId/sources', async (request, response) => {
    const { projectId } = request.params;
    await projects.get(projectId);
    const { fileIds } = checked(importRequestSchema, request.body, 'the request');
    const rows: SourceRow[] = [];
    for (const path of fileIds.map((id) => folders.path(id))) {
      rows.push(await adopted(await importer.add(projectId, path)));
    }
    response.status(201).json(rows.map(sourceOf));
  });

  router.post('/projects/:projectId/uploads', async (request, response) => {
    const { projectId } = request.params;
    await projects.get(projectId);
    const { name } = request.query;
    const bytes = Number(request.headers['content-length'] ?? NaN);
    if (typeof name !== 'string' || !name.trim() || name.length > 255 || !Number.isFinite(bytes)) {
      throw new UserError(
        400,
        'Upload not understood',
        'An upload needs the name and the length of the file.',
      );
    }
    const row = await importer.upload(projectId, join(uploadFolder, projectId), name, bytes, request);
    response.status(201).json(sourceOf(await adopted(row)));
  });

  return router;
}
