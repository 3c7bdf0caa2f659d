import { TITLE_FONT_FILES } from '@hone/core/render';
import { Router, text } from 'express';
import { notFound } from '../http/problems.js';
import { fontFile } from './fonts.js';
import type { TableStore } from './table-store.js';

/** Takes colour tables. */
export function tableRoutes(tables: TableStore): Router {
  const router = Router();
  router.get('/tables', async (_request, response) => {
    response.json(await tables.list());
  });
  router.post('/tables', text({ type: 'text/plain', limit: '80mb' }), async (request, response) => {
    response.status(201).json(await tables.keep(typeof request.body === 'string' ? request.body : ''));
  });
  return router;
}

/** Gives out what effects are made with: colour tables and the typeface of titles. */
export function effectFiles(tables: TableStore): Router {
  const router = Router();
  router.get('/tables/:id', async (request, response) => {
    response.type('text/plain').send(await tables.text(request.params.id));
  });
  router.get('/fonts/:name', (request, response) => {
    const { name } = request.params;
    if (!TITLE_FONT_FILES.includes(name)) throw notFound('This typeface');
    response.type('font/woff').sendFile(fontFile(name));
  });
  return router;
}
