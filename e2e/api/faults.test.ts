import { execFile } from 'node:child_process';
import {
  appendFile,
  chmod,
  copyFile,
  mkdtemp,
  readdir,
  rename,
  rm,
  stat,
  utimes,
  writeFile,
} from 'node:fs/promises';
import { request } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { promisify } from 'node:util';
import { createClient } from '@libsql/client';
import type { ExportRecord, Job, Problem, Project, Source } from '@hone/core/api';
import { rational } from '@hone/core/time';
import { makeCodedClip } from '@hone/demo';
import type { StartOptions } from '@hone/server';
import { afterEach, describe, expect, it } from 'vitest';
import { codesOf, makeClips } from '../fixtures/clips.js';
import { scratchPicture } from '../fixtures/scratched-clip.js';
import { cutTimeline, TestServer } from '../fixtures/server.js';

describe('a server in trouble', () => {
  let server: TestServer;
  let project: Project;

  const start = async (options: StartOptions = {}, env: NodeJS.ProcessEnv = {}): Promise<void> => {
    server = await TestServer.start(options, env);
    const reply = await server.call<Project>('POST', 'projects', { name: 'Trouble' });
    project = reply.body;
  };

  afterEach(() => server.stop());

  it('answers 503 with a sentence while another program holds the database, and goes on afterwards', async () => {
    await start();
    const other = createClient({ url: `file:${join(server.folder, 'data', 'hone.db')}` });
    const held = await other.transaction('write');
    const began = performance.now();
    const renaming = server.call<Problem>('PUT', `projects/${project.id}/name`, { name: 'Later' });
    // Reading is not held up meanwhile.
    expect((await server.call('GET', `projects/${project.id}`)).status).toBe(200);
    expect(performance.now() - began).toBeLessThan(1000);
    const { status, body } = await renaming;
    expect(status).toBe(503);
    expect(body.detail).toMatch(/Another program holds the database.*then do it again/);
    await held.rollback();
    other.close();
    expect((await server.call('PUT', `projects/${project.id}/name`, { name: 'Later' })).status).toBe(200);
  });

  it('takes an upload that comes slowly, and gives up one that stops', async () => {
    await start({ bodyIdleMs: 900 });
    const send = (pieces: number, pauseMs: number): Promise<number> =>
      new Promise((resolve) => {
        const sent = request(`${server.url}/api/projects/${project.id}/uploads?name=slow.mp4`, {
          method: 'POST',
          headers: { 'Content-Length': 100 * pieces },
        });
        sent.on('response', (reply) => {
          reply.resume();
          resolve(reply.statusCode ?? 0);
        });
        sent.on('error', () => resolve(-1));
        void (async () => {
          for (let piece = 0; piece < pieces; piece++) {
            sent.write(Buffer.alloc(100, 1));
            await sleep(pauseMs);
          }
          sent.end();
        })();
      });
    expect(await send(10, 300)).toBe(201);
    expect(await send(2, 3000)).toBe(408);
    const uploads = join(server.folder, 'data', 'media', project.id);
    await expect
      .poll(async () => (await readdir(uploads)).filter((name) => name.endsWith('.part')))
      .toEqual([]);
    // A request without a body may be answered as late as it takes: nothing of it is missing.
    const { long24 } = await makeClips(server.footage);
    const sources = await server.addSources(project.id, [long24]);
    const sourceId = sources.find(({ state }) => state === 'ready')!.id;
    const cut = { sourceId, sourceIn: rational(0), frames: 90 };
    const size = { width: 1920, height: 1080 };
    await server.setTimeline(project.id, cutTimeline(rational(24), size, [cut]));
    const began = performance.now();
    expect((await server.call('POST', `projects/${project.id}/exports/estimate`)).status).toBe(200);
    expect(performance.now() - began).toBeGreaterThan(1000);
  });

  it('reads a source again when what was in the way has passed, by itself and by the button', async () => {
    // An ffprobe that is not there at first.
    const tools = await mkdtemp(join(tmpdir(), 'hone-tools-'));
    const ffprobe = join(tools, 'ffprobe');
    await start({}, { HONE_FFPROBE: ffprobe });
    const { long24 } = await makeClips(server.footage);
    const [waiting] = await server.addSources(project.id, [long24]);
    expect(waiting).toMatchObject({
      state: 'expected',
      problem: expect.stringMatching(/^Waits for ffmpeg: .*not installed/) as string,
    });
    await writeFile(ffprobe, '#!/bin/sh\nexec /usr/bin/env ffprobe "$@"\n');
    await chmod(ffprobe, 0o755);
    const retry = { sourceIds: [waiting!.id] };
    const { body } = await server.call<Source[]>('POST', `projects/${project.id}/sources/retry`, retry);
    expect(body[0]).toMatchObject({ state: 'ready', problem: null });
    await server.settle(project.id);
    // One that an earlier start left unreadable is tried again at the next.
    await server.services.sources.change(body[0]!, {
      state: 'unreadable',
      problem: 'It could not be read once.',
    });
    await server.restart();
    await server.untilSource(project.id, 'long24.mp4', ({ state }) => state === 'ready');
    await rm(tools, { recursive: true });
  });

  it('takes a damaged file, says where it is damaged, and gives out what comes behind', async () => {
    await start();
    const path = join(server.footage, 'scratched.mp4');
    const clip = { width: 640, height: 360, rate: '24', frames: 120, source: 5 };
    const encoder = ['-c:v', 'libx264', '-preset', 'fast', '-g', '12', '-bf', '0', '-movflags', '+faststart'];
    await makeCodedClip({ ...clip, path, encoder });
    await scratchPicture(path, 50);
    const [source] = await server.addSources(project.id, [path]);
    expect(source).toMatchObject({ state: 'ready', facts: { picture: { frameCount: 120 } } });
    const found = await server.untilSource(project.id, 'scratched.mp4', ({ damage }) => damage !== null);
    expect(found.damage!.length).toBeGreaterThan(0);
    const [{ fromSeconds, toSeconds }] = found.damage as [NonNullable<Source['damage']>[number]];
    expect(fromSeconds).toBeLessThanOrEqual(51 / 24 + 0.01);
    expect(toSeconds).toBeGreaterThanOrEqual(49 / 24);
    expect(toSeconds - fromSeconds).toBeLessThan(1);
    // An export shows every frame behind the group that is damaged.
    await server.setTimeline(
      project.id,
      cutTimeline(rational(24), { width: 640, height: 360 }, [
        { sourceId: source!.id, sourceIn: rational(0), frames: 120 },
      ]),
    );
    const record = await server.export(project.id);
    expect(record.state).toBe('ready');
    const codes = codesOf((await server.services.exports.get(record.id)).path);
    expect(codes.slice(60)).toEqual(Array.from({ length: 60 }, (_, at) => ({ source: 5, frame: 60 + at })));
  });

  it('keeps no export whose original was replaced meanwhile, and names it', async () => {
    await start();
    const { long24, pal25 } = await makeClips(server.footage);
    const [source] = await server.addSources(project.id, [long24]);
    await server.settle(project.id);
    const cut = { sourceId: source!.id, sourceIn: rational(0), frames: 90 };
    await server.setTimeline(project.id, cutTimeline(rational(24), { width: 1920, height: 1080 }, [cut]));
    const { body } = await server.call<ExportRecord>('POST', `projects/${project.id}/exports`);
    await expect
      .poll(
        async () =>
          (await server.get<Job[]>(`projects/${project.id}/jobs`)).find(({ kind }) => kind === 'export')!
            .progress,
        { interval: 10 },
      )
      .toBeGreaterThan(0.1);
    // Of the same size and time, as a tool that keeps times would leave it.
    const { size, atime, mtime } = await stat(long24);
    await copyFile(pal25, `${long24}.new`);
    const missing = size - (await stat(`${long24}.new`)).size;
    if (missing > 0) await appendFile(`${long24}.new`, Buffer.alloc(missing));
    await utimes(`${long24}.new`, atime, mtime);
    await rename(`${long24}.new`, long24);
    await server.settle(project.id);
    const records = await server.get<ExportRecord[]>(`projects/${project.id}/exports`);
    expect(records.find(({ id }) => id === body.id)!.state).toBe('failed');
    const job = (await server.get<Job[]>(`projects/${project.id}/jobs`)).find(
      ({ kind }) => kind === 'export',
    )!;
    expect(job.problem).toMatch(/"long24.mp4" (changed while it was exported|is another file)/);
    expect(await readdir(join(server.folder, 'data', 'exports'))).toEqual([]);
  });

  it('lets in only who has the token of its address, where one is asked for', async () => {
    await start({}, { HONE_TOKEN: 'on' });
    const url = new URL(server.url);
    expect(url.searchParams.get('token')).toMatch(/^[\w-]{32}$/);
    const plain = `${url.origin}/api/projects`;
    expect((await fetch(plain)).status).toBe(401);
    expect((await fetch(`${url.origin}/?token=wrong`, { redirect: 'manual' })).status).toBe(401);
    const entered = await fetch(server.url, { redirect: 'manual' });
    expect(entered.status).toBe(303);
    expect(entered.headers.get('location')).toBe('/');
    const cookie = entered.headers.get('set-cookie')!;
    expect(cookie).toMatch(/HttpOnly/i);
    expect(cookie).toMatch(/SameSite=Strict/i);
    expect((await fetch(plain, { headers: { Cookie: cookie.split(';')[0]! } })).status).toBe(200);
  });

  it.runIf(process.getuid?.() === 0)(
    'answers no other user of the machine, who cannot read its files either',
    async () => {
      await start();
      // Not in a way that would hold up the server, which runs in this process.
      const as = async (user: number, ...command: string[]): Promise<string> => {
        const args = ['--reuid', String(user), '--clear-groups', ...command];
        return (await promisify(execFile)('setpriv', args, { timeout: 20_000 })).stdout.trim();
      };
      const ask = `fetch('${server.url}/api/projects', { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: '{"name":"x"}' }).then((r) => console.log(r.status))`;
      expect(await as(65_534, process.execPath, '-e', ask)).toBe('403');
      expect(await as(0, process.execPath, '-e', ask)).toBe('201');
      const { mode } = await stat(join(server.folder, 'data'));
      expect(mode & 0o777).toBe(0o700);
      expect((await stat(join(server.folder, 'data', 'hone.db'))).mode & 0o777).toBe(0o600);
    },
  );

  it('keeps undo over visits: each revision knows where it came from', async () => {
    await start();
    const put = (revision: number, startFrame: number, parent?: number | null) =>
      server.call<Project>('PUT', `projects/${project.id}`, {
        revision,
        timeline: { ...project.timeline, startFrame },
        delivery: project.delivery,
        ...(parent === undefined ? {} : { parent }),
      });
    await put(0, 1);
    await put(1, 2);
    const third = await put(2, 3);
    expect(third.body.ancestors).toEqual([2, 1, 0]);
    // What was undone is no way back: the fourth is the second again.
    const undone = await put(3, 2, 1);
    expect(undone.body.ancestors).toEqual([1, 0]);
    const { startFrame } = await server.get<Project['timeline']>(`projects/${project.id}/revisions/1`);
    expect(startFrame).toBe(1);
  });

  it('deletes a project with all that was made of it, and leaves its footage', async () => {
    await start();
    const { long24 } = await makeClips(server.footage);
    const [source] = await server.addSources(project.id, [long24]);
    await server.makeCopies(project.id, [source!.id], 2);
    expect((await fetch(`${server.url}/api/projects/${project.id}`, { method: 'DELETE' })).status).toBe(204);
    expect((await server.call('GET', `projects/${project.id}`)).status).toBe(404);
    for (const name of ['copies', 'previews', 'exports'])
      expect(await readdir(join(server.folder, 'data', name))).toEqual([]);
    expect((await stat(long24)).isFile()).toBe(true);
  });
});
