import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import express, { Router, type Response } from 'express';
import { nonceOf } from './guard.js';
import { UserError } from './problems.js';

/** The built interface and the player's files. */
export function pages(webFolder: string, playerFolder: string): Router {
  const router = Router();
  const isHashed = (path: string): boolean => /-[A-Z0-9]{8}\.\w+$/.test(path);
  const setHeaders = (response: Response, path: string): void => {
    response.set('Cache-Control', isHashed(path) ? 'public, max-age=31536000, immutable' : 'no-cache');
  };
  router.use('/player', express.static(playerFolder, { index: false, setHeaders }));
  router.use(express.static(webFolder, { index: false, setHeaders }));
  router.get('/{*path}', async (request, response, next) => {
    // The interface has pages of plain names only.
    if (!/^\/[\w/-]*$/.test(request.path) || /^\/(api|media|player)\//.test(request.path)) {
      next();
      return;
    }
    const page = await readFile(join(webFolder, 'index.html'), 'utf8').catch(() => {
      throw new UserError(503, 'Not built', 'The interface is not built yet. Run "npm run build".');
    });
    response
      .set('Cache-Control', 'no-store')
      .type('html')
      .send(page.replaceAll('HONE_NONCE', nonceOf(response)));
  });
  return router;
}
