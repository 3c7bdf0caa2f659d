import { createReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { once } from 'node:events';
import { extname } from 'node:path';
import { Router, type Request, type Response } from 'express';
import parseRange from 'range-parser';
import type { CopyStore } from '../copies/copy-store.js';
import type { DriveSimulation } from '../drives/simulation.js';
import { TURN_BYTES } from '@hone/core/cost-model';
import { CACHE_FORMATS } from '@hone/core/media';
import type { SlowDrive } from '../drives/slow-drive.js';
import type { ExportStore } from '../exports/export-store.js';
import { UserError } from '../http/problems.js';
import { mediaTypeOf } from './media-names.js';
import { soundPath } from './sound-job.js';
import type { StretchStore } from '../render-cache/stretch-store.js';
import { triedFile } from '../rig/cache-formats.js';
import type { SourceStore } from './source-store.js';
import { stripPath } from './filmstrip-job.js';

const gone = (): UserError => new UserError(404, 'File gone', 'The file is not there any more.');

interface MediaFileParts {
  readonly sources: SourceStore;
  readonly copies: CopyStore;
  readonly stretches: StretchStore;
  readonly exports: ExportStore;
  /** Folder of filmstrips and prepared sound. */
  readonly previews: string;
  readonly simulation: DriveSimulation;
  /** Folder of the files that codings of cached stretches were tried with. */
  readonly triedFormats: string;
}

/** Media by identifier, with ranges (RFC 9110). What playback reads passes through the simulated drive, if one is on. */
export function mediaFiles(parts: MediaFileParts): Router {
  const { sources, copies, stretches, exports, previews, simulation, triedFormats } = parts;
  const router = Router();

  const read = (request: Request, response: Response, path: string): Promise<void> => {
    const { drive } = simulation;
    return drive ? deliverSlowly(request, response, path, drive) : deliver(response, path, mediaTypeOf(path));
  };
  router.get('/sources/:id', async (request, response) => {
    const row = await sources.readable(request.params.id);
    if (row.stills)
      throw new UserError(
        409,
        'Not one file',
        `"${row.name}" is many files; its frames are decoded by the server.`,
      );
    await read(request, response, row.path);
  });
  router.get('/copies/:id', async (request, response) => {
    const row = await copies.get(request.params.id);
    if (row.state !== 'ready' && row.state !== 'stale')
      throw new UserError(409, 'Not ready', 'This light copy is not ready.');
    await read(request, response, row.path);
  });
  router.get('/stretches/:id', async (request, response) => {
    await read(request, response, (await stretches.played(request.params.id)).path);
  });
  router.get('/tried-formats/:id', async (request, response) => {
    const format = CACHE_FORMATS.find(({ id }) => id === request.params.id);
    if (!format) throw gone();
    const path = triedFile(triedFormats, format);
    await deliver(response, path, mediaTypeOf(path));
  });
  router.get('/sounds/:id', async (request, response) => {
    await read(request, response, soundPath(previews, (await sources.get(request.params.id)).id));
  });
  router.get('/strips/:id', async (request, response) => {
    const row = await sources.get(request.params.id);
    await deliver(response, stripPath(previews, row.id), 'image/jpeg');
  });
  router.get('/exports/:id', async (request, response) => {
    const row = await exports.get(request.params.id);
    if (row.state !== 'ready') throw new UserError(409, 'Not ready', 'This export is not ready.');
    if (request.query['download'] !== undefined) response.attachment(`${row.name}${extname(row.path)}`);
    await deliver(response, row.path, mediaTypeOf(row.path));
  });
  return router;
}

// What a browser does not play as media it must not open as a page either.
function setType(response: Response, type: string | undefined): void {
  response.set('Content-Type', type ?? 'application/octet-stream');
  if (type === undefined && !response.get('Content-Disposition')) response.attachment();
}

function deliver(response: Response, path: string, type: string | undefined): Promise<void> {
  setType(response, type);
  return new Promise((resolve, reject) => {
    // `send` hands what it does not know on to the stream of the file.
    const options = {
      ...{ acceptRanges: true, cacheControl: false, dotfiles: 'allow' as const },
      highWaterMark: TURN_BYTES,
    };
    response.set('Cache-Control', 'no-store');
    response.sendFile(path, options, (error: (Error & { code?: string; status?: number }) | undefined) => {
      // A player that seeks closes its requests early; that is no fault.
      if (!error || error.code === 'ECONNABORTED' || error.code === 'EPIPE') resolve();
      else if (error.code === 'ENOENT') reject(gone());
      else reject(error);
    });
  });
}

async function deliverSlowly(
  request: Request,
  response: Response,
  path: string,
  drive: SlowDrive,
): Promise<void> {
  const found = await stat(path).catch(() => undefined);
  if (!found) throw gone();
  const abort = new AbortController();
  response.on('close', () => abort.abort());
  const { signal } = abort;
  const ranges = request.headers.range ? parseRange(found.size, request.headers.range) : undefined;
  response.set({ 'Accept-Ranges': 'bytes', 'Cache-Control': 'no-store' });
  setType(response, mediaTypeOf(path));
  if (ranges === -1) {
    response.status(416).set('Content-Range', `bytes */${found.size}`).end();
    return;
  }
  const part = Array.isArray(ranges) && ranges.length === 1 ? ranges[0]! : undefined;
  const { start, end } = part ?? { start: 0, end: found.size - 1 };
  response.status(part ? 206 : 200).set('Content-Length', String(end - start + 1));
  if (part) response.set('Content-Range', `bytes ${start}-${end}/${found.size}`);
  try {
    await drive.begin(signal);
    let at = start;
    const file = createReadStream(path, { start, end, highWaterMark: TURN_BYTES, signal });
    for await (const chunk of file as AsyncIterable<Buffer>) {
      await drive.read(path, at, chunk.length, signal);
      at += chunk.length;
      if (!response.write(chunk)) await once(response, 'drain', { signal });
    }
    response.end();
  } catch (error) {
    if (!signal.aborted) throw error;
  }
}
