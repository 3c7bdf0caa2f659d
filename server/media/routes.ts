import { readFile } from 'node:fs/promises';
import { basename, join } from 'node:path';
import {
  checked,
  droppedFilesSchema,
  importRequestSchema,
  mediaFolderSchema,
  mediaSearchSchema,
  sourceChangeSchema,
  sourceRemovalSchema,
  sourceRetrySchema,
  type DroppedReply,
} from '@hone/core/api';
import { Router } from 'express';
import { plainFile } from '../ffmpeg/input.js';
import { notFound, UserError } from '../http/problems.js';
import type { CopyOrders } from '../copies/copy-orders.js';
import type { ProjectStore } from '../projects/project-store.js';
import { reasonAgainst, type Folders } from './folders.js';
import { isMediaName } from './media-names.js';
import type { Importer } from './import.js';
import type { MediaAccess } from './media-access.js';
import type { MediaSearch } from './media-search.js';
import { peaksPath } from './sound-job.js';
import type { Removal } from './removal.js';
import { sourceOf, type SourceRow, type SourceStore } from './source-store.js';

export interface SourceRouteParts {
  readonly projects: ProjectStore;
  readonly sources: SourceStore;
  readonly importer: Importer;
  readonly folders: Folders;
  readonly search: MediaSearch;
  readonly orders: CopyOrders;
  readonly access: MediaAccess;
  readonly removal: Removal;
  readonly uploadFolder: string;
  readonly previewFolder: string;
}

export function sourceRoutes(parts: SourceRouteParts): Router {
  const { projects, sources, importer, folders, search, access, removal } = parts;
  const { uploadFolder, previewFolder } = parts;
  const router = Router();

  router.get('/folders', async (_request, response) => {
    response.json(await folders.list());
  });

  router.get('/folders/:id', async (request, response) => {
    response.json(await folders.open(request.params.id));
  });

  router.post('/folders', async (request, response) => {
    const { path } = checked(mediaFolderSchema, request.body, 'the folder');
    response.status(201).json(await folders.openPath(path));
  });

  router.delete('/folders/:id', async (request, response) => {
    await folders.removeMedia(request.params.id);
    response.status(204).end();
  });

  router.get('/projects/:projectId/sources', async (request, response) => {
    response.json((await sources.refreshed(request.params.projectId)).map(sourceOf));
  });

  router.post('/projects/:projectId/sources', async (request, response) => {
    const { projectId } = request.params;
    await projects.get(projectId);
    const { fileIds } = checked(importRequestSchema, request.body, 'the request');
    const rows: SourceRow[] = [];
    for (const id of fileIds) {
      const { name, ...input } = await folders.choose(id);
      rows.push(await importer.addToRead(projectId, input, name));
    }
    response.status(201).json(rows.map(sourceOf));
  });

  router.post('/projects/:projectId/sources/dropped', async (request, response) => {
    const { projectId } = request.params;
    await projects.get(projectId);
    const { files } = checked(droppedFilesSchema, request.body, 'the files');
    const usable = files.filter(({ name }) => isMediaName(name));
    const paths = new Map((await search.dropped(usable)).map((path, index) => [usable[index]!, path]));
    const replies: DroppedReply[] = [];
    for (const file of files) {
      const path = paths.get(file);
      const row =
        path && (await importer.addToRead(projectId, plainFile(await folders.include(path)), file.name));
      const problem = usable.includes(file) ? null : reasonAgainst(file.name);
      replies.push({ name: file.name, source: row ? sourceOf(row) : null, problem });
    }
    response.json(replies);
  });

  router.post('/projects/:projectId/sources/search', async (request, response) => {
    const { projectId } = request.params;
    await projects.get(projectId);
    const { names, keepMissing, contents } = checked(mediaSearchSchema, request.body, 'the search');
    const { found, missing } = await search.byName(names, contents);
    const rows: SourceRow[] = [];
    for (const { path, contentHash } of found) {
      if (contentHash) {
        const row = await importer.add(projectId, path);
        rows.push(await sources.change(row, { contentHash }));
      } else rows.push(await importer.addToRead(projectId, plainFile(path), basename(path)));
    }
    if (keepMissing) {
      const roots = await access.realRoots();
      // Not where uploads go: nobody puts files there by hand.
      const root = roots.find((each) => !uploadFolder.startsWith(each)) ?? roots[0];
      for (const name of missing) rows.push(await importer.addMissing(projectId, name, root));
    }
    response.json(rows.map(sourceOf));
  });

  router.post('/projects/:projectId/sources/changes', async (request, response) => {
    const change = checked(sourceChangeSchema, request.body, 'the change');
    const { sourceIds, bin, addTag, removeTag, premultiplied } = change;
    const changed: SourceRow[] = [];
    for (const row of (await sources.list(request.params.projectId)).filter(({ id }) =>
      sourceIds.includes(id),
    )) {
      const kept = row.tags.filter((tag) => tag !== removeTag && tag !== addTag);
      const tags = addTag === undefined ? kept : [...kept, addTag];
      const picture = row.facts?.picture;
      const facts =
        premultiplied !== undefined && picture?.alpha
          ? { facts: { ...row.facts!, picture: { ...picture, premultiplied } } }
          : {};
      changed.push(await sources.change(row, { tags, ...facts, ...(bin === undefined ? {} : { bin }) }));
    }
    response.json(changed.map(sourceOf));
  });

  router.post('/projects/:projectId/sources/retry', async (request, response) => {
    const { projectId } = request.params;
    await projects.get(projectId);
    const { sourceIds } = checked(sourceRetrySchema, request.body, 'the request');
    const rows: SourceRow[] = [];
    for (const row of (await sources.list(projectId)).filter(({ id }) => sourceIds.includes(id)))
      rows.push(row.state === 'ready' ? row : await importer.readAgain(row));
    response.json(rows.map(sourceOf));
  });

  router.post('/projects/:projectId/sources/removal', async (request, response) => {
    const { projectId } = request.params;
    const { sourceIds } = checked(sourceRemovalSchema, request.body, 'the request');
    const { timeline } = await projects.get(projectId);
    const used = new Set(timeline.tracks.flatMap(({ clips }) => clips.map(({ sourceId }) => sourceId)));
    const rows = (await sources.list(projectId)).filter(({ id }) => sourceIds.includes(id));
    const inUse = rows.find(({ id }) => used.has(id));
    if (inUse) {
      const detail = `"${inUse.name}" is on the timeline. Take its clips off first; nothing was removed.`;
      throw new UserError(409, 'Still in use', detail);
    }
    for (const row of rows) await removal.removeSource(row);
    response.status(204).end();
  });

  router.get('/sources/:id/packets', async (request, response) => {
    const packets = await sources.packetsOf(await sources.get(request.params.id));
    if (!packets) throw notFound('The packet index of this source');
    response.type('application/octet-stream').send(packets);
  });

  router.get('/sources/:id/peaks', async (request, response) => {
    const row = await sources.get(request.params.id);
    const peaks = row.sound && (await readFile(peaksPath(previewFolder, row.id)).catch(() => undefined));
    if (!peaks) throw notFound('The waveform of this source');
    response.type('application/octet-stream').send(peaks);
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
    await parts.orders.orderAtImport(row);
    response.status(201).json(sourceOf(row));
  });

  return router;
}
