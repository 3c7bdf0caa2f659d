import { truncate } from 'node:fs/promises';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import type { Job, Project } from '@hone/core/api';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeClips } from '../fixtures/clips.js';
import { TestServer } from '../fixtures/server.js';

/** Large enough that its fingerprint takes seconds; what is behind the clip is a hole in the file. */
const LARGE_BYTES = 2 * 2 ** 30;

describe('while something plays', () => {
  let server: TestServer;
  let project: Project;

  beforeAll(async () => {
    server = await TestServer.start();
    ({ body: project } = await server.call<Project>('POST', 'projects', {
      ...{ name: 'Hold', size: { width: 640, height: 360 }, rate: rational(24) },
    }));
    const { long24 } = await makeClips(server.footage);
    await truncate(long24, LARGE_BYTES);
    await server.addSources(project.id, [join(long24)]);
  });

  afterAll(() => server.stop());

  const hash = async (): Promise<Job | undefined> =>
    (await server.get<Job[]>(`projects/${project.id}/jobs`)).find(({ kind }) => kind === 'hash');

  it('the fingerprint of a source stops within 200 ms, and goes on afterwards', async () => {
    await expect.poll(async () => (await hash())?.progress ?? 0, { timeout: 20_000 }).toBeGreaterThan(0);
    expect((await server.call('POST', 'sampling')).status).toBe(204);
    await sleep(200);
    const before = await hash();
    expect(before).toMatchObject({ state: 'running' });
    // For longer than it would be held if nobody asked.
    for (let waited = 0; waited < 5; waited++) {
      await sleep(900);
      await server.get('sampling');
      expect((await hash())!.progress).toBe(before!.progress);
    }
    await expect
      .poll(async () => (await hash())!.progress, { timeout: 10_000 })
      .toBeGreaterThan(before!.progress);
    await expect.poll(async () => (await hash())!.state, { timeout: 60_000 }).toBe('done');
  });
});
