import { join } from 'node:path';
import type { FolderEntry, Problem, Project, Rigs, Source } from '@hone/core/api';
import { SIMULATED_RIGS } from '@hone/core/machine';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeHostileFiles, type HostileFolder } from '../hostile/files.js';
import { hostileRequests, sendRaw } from '../hostile/requests.js';
import { TestServer } from '../fixtures/server.js';

/** Whoever waits longer takes Hone for dead. */
const LONGEST_MS = 5000;

describe('hostile files', () => {
  let server: TestServer;
  let project: Project;
  let made: HostileFolder;
  let listed: FolderEntry;
  let sources: Source[];

  beforeAll(async () => {
    server = await TestServer.start();
    made = makeHostileFiles(server.footage, join(server.folder, 'outside'));
    project = (await server.call<Project>('POST', 'projects', { name: 'Hostile' })).body;
    const { children } = await server.get<FolderEntry>('folders');
    const root = children.find(({ label }) => label === server.footage)!;
    listed = await server.get<FolderEntry>(`folders/${root.id}`);
    for (const { id } of listed.files) {
      const { status } = await server.call('POST', `projects/${project.id}/sources`, { fileIds: [id] });
      expect(status).toBe(201);
    }
    await server.settle(project.id);
    sources = await server.get<Source[]>(`projects/${project.id}/sources`);
  }, 600_000);

  afterAll(() => server.stop());

  it('are at least sixty, with the requests', () => {
    expect(made.files.length + hostileRequests('p', 's').length).toBeGreaterThan(60);
    expect(made.files.length).toBeGreaterThan(50);
  });

  it('are listed only where they lie in the folder and have the name of a medium', () => {
    const names = new Set(listed.files.map(({ name }) => name));
    const wrong = made.files.filter(({ name, verdict }) => names.has(name) === (verdict === 'not listed'));
    expect(wrong).toEqual([]);
    expect(listed.children.map(({ label }) => label)).not.toContain('elsewhere');
  });

  it('are refused with a sentence, or taken where they can be decoded', () => {
    const verdicts = made.files
      .filter(({ verdict }) => verdict !== 'not listed')
      .map(({ name, verdict }) => {
        const source = sources.find((each) => each.name === name);
        const isRefused = source?.state === 'unreadable' && /[.!]$/.test(source.problem ?? '');
        return {
          name,
          verdict,
          right: verdict === 'taken' ? source?.state === 'ready' : isRefused,
          problem: source?.problem,
        };
      });
    expect(verdicts.filter(({ right }) => !right)).toEqual([]);
  });

  it('do not bring out what lies outside, by search, by name or by what is served', async () => {
    const names = [
      'link.mp4',
      'passwd.mp4',
      '../outside/secret.txt',
      '..',
      'endless.mp4',
      'elsewhere',
      '.hidden.mp4',
      'fifo.mp4',
    ];
    const search = { names, keepMissing: true, contents: [] };
    expect((await server.call('POST', `projects/${project.id}/sources/search`, search)).status).toBe(200);
    for (const { id, state } of await server.get<Source[]>(`projects/${project.id}/sources`)) {
      const reply = await fetch(`${server.url}/media/sources/${id}`, { headers: { Range: 'bytes=0-65535' } });
      const text = Buffer.from(await reply.arrayBuffer()).toString('latin1');
      expect(text).not.toContain(made.secret);
      expect(text).not.toContain('root:');
      if (state !== 'ready') expect(reply.status).toBeGreaterThanOrEqual(400);
    }
  });

  it('are given out so that nothing in them runs', async () => {
    const { id } = sources.find(({ state }) => state === 'ready')!;
    const { headers } = await fetch(`${server.url}/media/sources/${id}`, {
      headers: { Range: 'bytes=0-99' },
    });
    expect(headers.get('content-security-policy')).toMatch(/^sandbox/);
    expect(headers.get('x-content-type-options')).toBe('nosniff');
    expect(headers.get('content-type')).toMatch(/^(video|audio)\//);
  });
});

describe('hostile requests', () => {
  let server: TestServer;
  let project: Project;
  let source: Source;

  beforeAll(async () => {
    server = await TestServer.start();
    project = (await server.call<Project>('POST', 'projects', { name: 'Hostile' })).body;
    await server.call('PUT', 'rigs/own', SIMULATED_RIGS[0]);
    makeHostileFiles(server.footage, join(server.folder, 'outside'));
    [source] = (await server.addSources(project.id, [join(server.footage, '-i.mp4')])) as [Source];
    await server.settle(project.id);
  });

  afterAll(() => server.stop());

  it('are refused quickly, with a sentence that is true, and change nothing', async () => {
    const port = Number(new URL(server.url).port);
    const before = await server.get<Rigs>('rigs');
    const wrong: unknown[] = [];
    for (const { name, expected, ...sent } of hostileRequests(project.id, source.id)) {
      const began = performance.now();
      const { status, headers, body } = await sendRaw(port, sent);
      const ms = Math.round(performance.now() - began);
      const isRight = expected.includes(status) && ms < LONGEST_MS && !body.includes('root:');
      const isProblem =
        status < 400 ||
        status === 400 ||
        String(headers['content-type']).startsWith('application/problem+json');
      if (!isRight || !isProblem) wrong.push({ name, status, ms, text: body.toString('utf8', 0, 200) });
    }
    expect(wrong).toEqual([]);
    expect(await server.get('rigs')).toEqual(before);
    expect(await server.get(`projects/${project.id}`)).toEqual(project);
    const { body } = await server.call<Problem>('GET', 'nothing/here');
    expect(body.detail).toContain('/api/nothing/here');
  });
});
