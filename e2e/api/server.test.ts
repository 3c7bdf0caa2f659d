import { request } from 'node:http';
import type { Problem, Project, ProjectRevision, RunRecord, ServerEvent } from '@hone/core/api';
import { FrameLog, OLDER_RUN } from '@hone/core/playback';
import { FIRST_TUNING } from '@hone/core/levers';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { TestServer } from '../fixtures/server.js';

describe('the server', () => {
  let server: TestServer;
  let project: Project;

  beforeAll(async () => {
    server = await TestServer.start();
    project = (await server.call<Project>('POST', 'projects', { name: 'Server' })).body;
  });

  afterAll(() => server.stop());

  /** A request with headers that fetch would not let through. */
  const raw = (
    path: string,
    headers: Record<string, string>,
    method = 'GET',
  ): Promise<{ status: number; headers: NodeJS.Dict<string | string[]> }> =>
    new Promise((resolve, reject) => {
      const { port } = new URL(server.url);
      const sent = request({ host: '127.0.0.1', port, path, method, headers }, (reply) => {
        reply.resume();
        resolve({ status: reply.statusCode!, headers: reply.headers });
      });
      sent.on('error', reject);
      sent.end();
    });
  const host = (): string => new URL(server.url).host;

  it('says that it is well', async () => {
    expect(await server.get('health')).toMatchObject({ status: 'ok' });
  });

  it('listens on the loopback address only', () => {
    expect(new URL(server.url).hostname).toBe('127.0.0.1');
  });

  it('refuses other hosts, other origins and requests across sites', async () => {
    expect((await raw('/api/health', { host: host() })).status).toBe(200);
    expect((await raw('/api/health', { host: 'evil.example:4310' })).status).toBe(403);
    expect((await raw('/api/health', { host: host(), origin: 'http://evil.example' })).status).toBe(403);
    expect((await raw('/api/projects', { host: host(), origin: 'null' }, 'POST')).status).toBe(403);
    expect((await raw('/api/health', { host: host(), 'sec-fetch-site': 'cross-site' })).status).toBe(403);
    expect(
      (await raw('/api/health', { host: host(), origin: server.url, 'sec-fetch-site': 'same-origin' }))
        .status,
    ).toBe(200);
  });

  it('isolates its page and lets it run nothing but its own scripts', async () => {
    const { headers } = await raw('/api/health', { host: host() });
    expect(headers['cross-origin-opener-policy']).toBe('same-origin');
    expect(headers['cross-origin-embedder-policy']).toBe('require-corp');
    expect(headers['x-content-type-options']).toBe('nosniff');
    const policy = String(headers['content-security-policy']);
    expect(policy).toContain("default-src 'none'");
    expect(policy).toContain("script-src 'self' 'wasm-unsafe-eval'");
    expect(policy).not.toContain('unsafe-inline');
  });

  it('answers errors with problem details', async () => {
    const reply = await fetch(`${server.url}/api/nowhere`);
    expect(reply.headers.get('content-type')).toContain('application/problem+json');
    expect((await reply.json()) as Problem).toMatchObject({
      status: 404,
      title: 'Not found',
      type: 'about:blank',
    });
    const broken = await fetch(`${server.url}/api/projects`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: '{"name":',
    });
    expect(broken.status).toBe(400);
  });

  it('names what is wrong with input', async () => {
    const { status, body } = await server.call<Problem>('POST', 'projects', {
      name: '',
      rate: { num: 0, den: 1 },
    });
    expect(status).toBe(400);
    expect(body.faults!.join(' ')).toContain('rate.num');
  });

  it('keeps a timeline by revision and refuses one that is based on an older', async () => {
    const { timeline, delivery, revision } = project;
    const change = { timeline, delivery, revision };
    expect((await server.call<Project>('PUT', `projects/${project.id}`, change)).body.revision).toBe(
      revision + 1,
    );
    const late = await server.call<Problem>('PUT', `projects/${project.id}`, change);
    expect(late.status).toBe(409);
    expect(late.body.detail).toContain('another window');
  });

  it('refuses a timeline that cannot be played, with the reason', async () => {
    const { timeline, delivery, revision } = await server.get<Project>(`projects/${project.id}`);
    const clip = {
      id: 'a',
      name: 'A',
      sourceId: 's',
      start: 0,
      length: 10,
      sourceIn: { num: 0, den: 1 },
      enabled: true,
    };
    const overlapping = { ...timeline.tracks[0]!, clips: [clip, { ...clip, id: 'b', start: 5 }] };
    const change = { timeline: { ...timeline, tracks: [overlapping] }, delivery, revision };
    const { status, body } = await server.call<Problem>('PUT', `projects/${project.id}`, change);
    expect(status).toBe(400);
    expect(body.detail).toContain('overlaps');
  });

  it('moves a lever without touching the timeline', async () => {
    const before = await server.get<Project>(`projects/${project.id}`);
    await server.call('PUT', `projects/${project.id}/tuning`, {
      playScale: 8,
      restScale: 1,
      lightCopies: false,
    });
    const after = await server.get<Project>(`projects/${project.id}`);
    expect(after).toEqual({ ...before, tuning: { playScale: 8, restScale: 1, lightCopies: false } });
    expect((await server.call('PUT', `projects/${project.id}/tuning`, { playScale: 3 })).status).toBe(400);
  });

  it('keeps the last fifty timelines, each of which can be read again', async () => {
    const { id } = (await server.call<Project>('POST', 'projects', { name: 'Revised' })).body;
    for (let revision = 0; revision < 53; revision++) {
      const { timeline, delivery } = await server.get<Project>(`projects/${id}`);
      await server.call('PUT', `projects/${id}`, {
        revision,
        delivery,
        timeline: { ...timeline, startFrame: revision },
      });
    }
    const kept = await server.get<ProjectRevision[]>(`projects/${id}/revisions`);
    expect(kept.map(({ revision }) => revision)).toEqual(Array.from({ length: 50 }, (_, at) => 53 - at));
    const old = await server.get<Project['timeline']>(`projects/${id}/revisions/20`);
    expect(old.startFrame).toBe(19);
    expect((await server.call('GET', `projects/${id}/revisions/2`)).status).toBe(404);
  });

  it('keeps a run with the figures that its log holds', async () => {
    const log = FrameLog.empty(24, 4);
    for (let frame = 24; frame < 28; frame++) {
      log.set(frame, 'settled', 1);
      log.set(frame, 'due', 100 + (frame - 24) * 40);
      if (frame !== 26) log.set(frame, 'shown', 105 + (frame - 24) * 40);
      log.set(frame, 'decode', 30);
    }
    const facts = {
      firstFrame: 24,
      rate: { num: 25, den: 1 },
      tuning: FIRST_TUNING,
      ...OLDER_RUN,
      copiedSources: [],
      leversMoved: false,
      clock: 'sound',
      decodeWorkers: 1,
    };
    const encoded = Buffer.from(log.values.buffer).toString('base64');
    const body = { facts, log: encoded, pressedAt: Date.now() };
    const kept = (await server.call<RunRecord>('POST', `projects/${project.id}/runs`, body)).body;
    expect(kept.summary).toMatchObject({ wanted: 4, shown: 3, dropped: 1, firstFrameMs: 105 });
    expect(kept.summary.stageMs.decode).toBeCloseTo(30);
    const values = new Float32Array(
      await (await fetch(`${server.url}/api/runs/${kept.id}/log`)).arrayBuffer(),
    );
    expect([...values]).toEqual([...log.values]);
    const cut = { ...body, log: body.log.slice(0, 40) };
    expect((await server.call('POST', `projects/${project.id}/runs`, cut)).status).toBe(400);
    await server.call('DELETE', `runs/${kept.id}`);
    expect(await server.get(`projects/${project.id}/runs`)).toEqual([]);
  });

  it('tells what happens as it happens', async () => {
    const abort = new AbortController();
    const reply = await fetch(`${server.url}/api/events`, { signal: abort.signal });
    expect(reply.headers.get('content-type')).toContain('text/event-stream');
    const reader = reply.body!.pipeThrough(new TextDecoderStream()).getReader();
    const { timeline, delivery, revision } = await server.get<Project>(`projects/${project.id}`);
    await server.call('PUT', `projects/${project.id}`, { timeline, delivery, revision });
    let text = '';
    while (!text.includes('data:')) text += (await reader.read()).value ?? '';
    abort.abort();
    const event = JSON.parse(/data: (.*)/.exec(text)![1]!) as ServerEvent;
    expect(event).toMatchObject({ kind: 'project', project: { id: project.id, revision: revision + 1 } });
  });

  it('does not start beside another on the same port, and says what to do', async () => {
    const { startServer } = await import('@hone/server');
    const { config } = server.services;
    const port = Number(new URL(server.url).port);
    await expect(startServer({ ...config, dataFolder: `${server.folder}/other`, port })).rejects.toThrow(
      /in use.*PORT/,
    );
  });
});
