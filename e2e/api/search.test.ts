import { copyFile, mkdir, rename } from 'node:fs/promises';
import { join } from 'node:path';
import type { Project, Source } from '@hone/core/api';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeClips } from '../fixtures/clips.js';
import { TestServer } from '../fixtures/server.js';

describe('a search for media', () => {
  let server: TestServer;
  let project: Project;
  let known: Source;

  beforeAll(async () => {
    server = await TestServer.start();
    const paths = await makeClips(server.footage);
    project = (await server.call<Project>('POST', 'projects', { name: 'Search' })).body;
    await server.addSources(project.id, [paths.long24]);
    await server.settle(project.id);
    [known] = (await server.get<Source[]>(`projects/${project.id}/sources`)) as [Source];
    const elsewhere = join(server.footage, 'day 2');
    await mkdir(elsewhere);
    await rename(paths.long24, join(elsewhere, 'A003_C017.mp4'));
    // One that is as large and of another content.
    await copyFile(paths.pal25, join(elsewhere, 'other.mp4'));
  });

  afterAll(() => server.stop());

  const search = (contents: readonly object[]) =>
    server.call<Source[]>('POST', `projects/${project.id}/sources/search`, {
      names: ['long24.mp4'],
      keepMissing: false,
      contents,
    });

  it('finds a file that has another name by what is in it', async () => {
    expect((await search([])).body).toEqual([]);
    const content = { name: 'long24.mp4', sha256: known.contentHash, bytes: known.bytes };
    const { body } = await search([content]);
    expect(body.map(({ name, contentHash, state }) => [name, contentHash, state])).toEqual([
      ['A003_C017.mp4', known.contentHash, 'ready'],
    ]);
    expect((await search([{ ...content, sha256: 'd'.repeat(64) }])).body).toEqual([]);
    expect((await search([{ ...content, sha256: 'no hash' }])).status).toBe(400);
  });
});
