import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { readdir } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { CachedStretchRecord, Job, RenderCacheSettings, TriedCacheFormats } from '@hone/core/api';
import { CACHE_FORMATS, cacheFormat, FRAME_HEADER_BYTES, readFrameHeader } from '@hone/core/media';
import type { CacheFormatChoice, CacheFormatId } from '@hone/core/media';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { codesOf } from '../fixtures/clips.js';
import {
  CUT_SIZE,
  expectedCodes,
  makeCutProject,
  type CutProject,
  type NamedCut,
} from '../fixtures/cut-project.js';
import { psnr } from '../fixtures/likeness.js';
import { rigOf } from '../fixtures/rigs.js';
import { TestServer } from '../fixtures/server.js';

/** Longer than one file of the cache. */
const CUTS: readonly NamedCut[] = [
  ['long24', rational(1, 3), 70],
  ['pal25', rational(1), 40],
];
const LENGTH = 110;
const { width, height } = CUT_SIZE;
const PICTURE_BYTES = (3 * width * height) / 2;

describe('the formats of the render cache', () => {
  let server: TestServer;
  let made: CutProject;
  /** Decoded planes of everything that was rendered, by format. */
  const decoded = new Map<CacheFormatId, Buffer>();

  beforeAll(async () => {
    server = await TestServer.start();
    made = await makeCutProject(server, 'Formats', CUTS);
    await server.settle(made.project.id);
  });

  afterAll(() => server.stop());

  const cached = (): Promise<CachedStretchRecord[]> => server.get('cached-stretches');
  const choose = (format: CacheFormatChoice) =>
    server.call<RenderCacheSettings>('PUT', 'render-cache/settings', { format });

  /** Renders everything anew. */
  const rendered = async (format: CacheFormatChoice): Promise<CachedStretchRecord[]> => {
    const ids = (await cached()).map(({ id }) => id);
    if (ids.length) await server.call('POST', 'cached-stretches/removal', { ids });
    expect((await choose(format)).body.format).toBe(format);
    const request = { ranges: [{ from: 0, to: LENGTH }], size: CUT_SIZE };
    const { body } = await server.call<Job>('POST', `projects/${made.project.id}/cached-stretches`, request);
    expect(await server.services.queue.finished(body.id)).toMatchObject({ state: 'done', problem: null });
    return cached();
  };

  const fileOf = async ({ id }: CachedStretchRecord): Promise<Buffer> => {
    const reply = await fetch(`${server.url}/media/stretches/${id}`);
    expect(reply.status).toBe(200);
    return Buffer.from(await reply.arrayBuffer());
  };

  /** Planes of a file, by ffmpeg, the reference decoder; a file without compression is nothing else. */
  const planesOf = (file: Buffer, format: CacheFormatId): Buffer => {
    if (format === 'uncompressed') return file;
    const folder = mkdtempSync(join(tmpdir(), 'hone-format-'));
    const path = join(folder, `file.${cacheFormat(format).ending}`);
    writeFileSync(path, file);
    const output = ['-fps_mode', 'passthrough', '-pix_fmt', 'yuv420p', '-f', 'rawvideo', 'pipe:1'];
    const planes = execFileSync('ffmpeg', ['-v', 'error', '-i', path, ...output], { maxBuffer: 1 << 30 });
    rmSync(folder, { recursive: true });
    return planes;
  };

  it.each(CACHE_FORMATS)(
    'hold every frame: $label',
    async ({ id, ending }) => {
      const stretches = await rendered(id);
      expect(stretches.map(({ format, frameCount }) => [format, frameCount])).toEqual([
        [id, 96],
        [id, 14],
      ]);
      const names = stretches.map((each) => `${each.id}.${ending}`).sort();
      expect((await readdir(join(server.folder, 'data', 'render-cache'))).sort()).toEqual(names);
      const files = await Promise.all(stretches.map(fileOf));
      const planes = Buffer.concat(files.map((file) => planesOf(file, id)));
      expect(planes).toHaveLength(LENGTH * PICTURE_BYTES);
      decoded.set(id, planes);
    },
    120_000,
  );

  it('hold the right frames, the lossless ones to the bit, H.264 as like as it is taken for live', () => {
    const exact = decoded.get('uncompressed')!;
    const path = join(mkdtempSync(join(tmpdir(), 'hone-format-')), 'exact.y4m');
    const raw = ['-f', 'rawvideo', '-pix_fmt', 'yuv420p', '-s', `${width}x${height}`, '-r', '24', '-i', '-'];
    execFileSync('ffmpeg', ['-v', 'error', ...raw, path], { input: exact });
    expect(codesOf(path)).toEqual(expectedCodes(CUTS));
    rmSync(path);
    expect(decoded.get('h264-lossless')!.equals(exact)).toBe(true);
    expect(decoded.get('ffv1')!.equals(exact)).toBe(true);
    const lossy = decoded.get('h264')!;
    expect(lossy.equals(exact)).toBe(false);
    expect(psnr(lossy, exact)).toBeGreaterThan(45);
  });

  it('are decoded by the server from any frame on, where the browser does not', async () => {
    const [first] = await rendered('ffv1');
    const exact = decoded.get('uncompressed')!;
    for (const frame of [0, 37, 95]) {
      const from = ((frame + 0.25) / 24).toFixed(6);
      const query = `from=${from}&width=${width}&height=${height}`;
      const reply = await fetch(`${server.url}/media/stretch-frames/${first!.id}?${query}`);
      expect(reply.status).toBe(200);
      const bytes = Buffer.from(await reply.arrayBuffer());
      const pictures = new Map<number, Buffer>();
      for (let at = 0; at < bytes.length; at += FRAME_HEADER_BYTES + PICTURE_BYTES) {
        const header = readFrameHeader(bytes.subarray(at, at + FRAME_HEADER_BYTES));
        const planes = bytes.subarray(at + FRAME_HEADER_BYTES, at + FRAME_HEADER_BYTES + PICTURE_BYTES);
        pictures.set(Math.round(24 * header.seconds), planes);
      }
      expect(Math.max(...pictures.keys())).toBe(95);
      const wanted = exact.subarray(frame * PICTURE_BYTES, (frame + 1) * PICTURE_BYTES);
      expect(pictures.get(frame)!.equals(wanted), `frame ${frame}`).toBe(true);
    }
    expect((await fetch(`${server.url}/media/stretch-frames/${first!.id}?from=x`)).status).toBe(400);
    expect((await fetch(`${server.url}/media/stretch-frames/none?from=0&width=2&height=2`)).status).toBe(404);
  }, 120_000);

  it('are tried: speed, bytes and likeness of each, with files for the browser', async () => {
    const about = { projectId: made.project.id, thorough: false };
    const { body } = await server.call<TriedCacheFormats>('POST', 'measurements/cache-formats', about);
    expect(body.formats.map(({ format, works }) => [format, works])).toEqual(
      CACHE_FORMATS.map(({ id }) => [id, true]),
    );
    for (const { format, framesPerSecond, frameBytes, likeness } of body.formats) {
      expect(framesPerSecond!.value).toBeGreaterThan(1);
      const raw = 1.5 * body.size.width * body.size.height;
      if (format === 'uncompressed') expect(frameBytes).toBe(raw);
      else expect(frameBytes).toBeLessThan(raw);
      if (cacheFormat(format).isLossless) expect(likeness).toBeNull();
      else expect(likeness).toBeGreaterThan(40);
    }
    // Slower to write means nothing here, but what compresses without loss takes more than what loses.
    const bytesOf = (id: CacheFormatId): number =>
      body.formats.find(({ format }) => format === id)!.frameBytes;
    expect(bytesOf('h264')).toBeLessThan(bytesOf('h264-lossless'));
    expect(body.decoders).toMatchObject([{ decoder: 'server', codec: 'ffv1', profile: 'intra' }]);
    expect(body.decoders[0]!.msPerFrame!.value).toBeGreaterThan(0);
    const status = async (id: string): Promise<number> =>
      (await fetch(`${server.url}/media/tried-formats/${id}`, { method: 'HEAD' })).status;
    for (const { format } of body.files) expect(await status(format)).toBe(200);
    expect(await status('none')).toBe(404);
    expect((await server.call('DELETE', 'measurements/cache-formats')).status).toBe(204);
    for (const { format } of body.files) expect(await status(format)).toBe(404);
  }, 120_000);

  it('are chosen by what this machine was measured to do', async () => {
    const rig = rigOf(1);
    const figure = (value: number) => ({ ...rig.shows[0]!.ms, value, low: value, high: value });
    const tried = (id: CacheFormatId, framesPerSecond: number) => ({
      ...{ format: id, works: true, reason: '', framesPerSecond: figure(framesPerSecond) },
      ...{ pixels: 960 * 540, frameBytes: 100_000, likeness: cacheFormat(id).isLossless ? null : 46 },
    });
    for (const [fast, taken] of [
      ['h264-lossless', 'h264-lossless'],
      ['h264', 'h264'],
    ] as const) {
      const cacheFormats = (['h264', 'h264-lossless'] as const).map((id) =>
        tried(id, id === fast ? 4000 : 2),
      );
      const kept = await server.call('PUT', 'rigs/own', { ...rig, cacheFormats });
      expect(kept.status, JSON.stringify(kept.body)).toBe(200);
      const formats = new Set((await rendered('automatic')).map(({ format }) => format));
      expect([...formats]).toEqual([taken]);
    }
    const exact = new Set((await rendered('automatic-lossless')).map(({ format }) => format));
    expect([...exact]).toEqual(['h264-lossless']);
    const refused = await server.call<{ detail: string }>('PUT', 'render-cache/settings', { format: 'gif' });
    expect(refused.status).toBe(400);
  }, 120_000);
});
