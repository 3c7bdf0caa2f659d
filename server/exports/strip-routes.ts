import { stat } from 'node:fs/promises';
import { join } from 'node:path';
import { toNumber } from '@hone/core/time';
import { timelineLength } from '@hone/core/timeline';
import { Router } from 'express';
import { plainFile } from '../ffmpeg/input.js';
import { UserError } from '../http/problems.js';
import { drawStrip, stripOf, stripPath } from '../media/filmstrip-job.js';
import type { ExportStore } from './export-store.js';

/**
 * Routes of filmstrips of exports that a browser does not play, made at the first request.
 * @param dataFolder folder of previews and temporary files
 */
export function exportStripRoutes(exports: ExportStore, ffmpeg: string, dataFolder: string): Router {
  const router = Router();
  const drawing = new Map<string, Promise<void>>();

  router.get('/export-strips/:id', async (request, response) => {
    const row = await exports.get(request.params.id);
    if (row.state !== 'ready') throw new UserError(409, 'Not ready', 'This export is not ready.');
    const path = stripPath(join(dataFolder, 'previews'), row.id);
    if (!(await stat(path).catch(() => undefined))) {
      const { timeline, delivery } = row;
      const order = {
        input: plainFile(row.path),
        seconds: timelineLength(timeline) / toNumber(timeline.rate),
        strip: stripOf(delivery.size),
      };
      const drawn = drawing.get(row.id) ?? drawStrip(ffmpeg, order, path, join(dataFolder, 'scratch'));
      drawing.set(row.id, drawn);
      await drawn.finally(() => drawing.delete(row.id));
    }
    response.set('Cache-Control', 'no-store').type('image/jpeg');
    response.sendFile(path, { dotfiles: 'allow', cacheControl: false });
  });

  return router;
}
