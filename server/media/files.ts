import { Router, type Response } from 'express';
import type { CopyStore } from '../copies/copy-store.js';
import type { ExportStore } from '../exports/export-store.js';
import { UserError } from '../http/problems.js';
import type { SourceStore } from './source-store.js';

/** Media by identifier, with ranges (RFC 9110). */
export function mediaFiles(sources: SourceStore, copies: CopyStore, exports: ExportStore): Router {
  const router = Router();
  const deliver = (response: Response, path: string): Promise<void> =>
    new Promise((resolve, reject) => {
      const options = { acceptRanges: true, cacheControl: false, dotfiles: 'allow' as const };
      response.set('Cache-Control', 'no-store');
      response.sendFile(path, options, (error: (Error & { code?: string; status?: number }) | undefined) => {
        // A player that seeks closes its requests early; that is no fault.
        if (!error || error.code === 'ECONNABORTED' || error.code === 'EPIPE') resolve();
        else if (error.code === 'ENOENT')
          reject(new UserError(404, 'File gone', 'The file is not there any more.'));
        else reject(error);
      });
    });

  router.get('/sources/:id', async (request, response) => {
    await deliver(response, (await sources.get(request.params.id)).path);
  });
  router.get('/copies/:id', async (request, response) => {
    await deliver(response, (await copies.get(request.params.id)).path);
  });
  router.get('/exports/:id', async (request, response) => {
    const row = await exports.get(request.params.id);
    if (request.query['download'] !== undefined) response.attachment(`${row.name}.mp4`);
    await deliver(response, row.path);
  });
  return router;
}
