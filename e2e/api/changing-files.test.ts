import { appendFile, mkdir, readFile, rename, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Project, Source } from '@hone/core/api';
import { makeCodedClip } from '@hone/demo';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { TestServer } from '../fixtures/server.js';

let server: TestServer;
let project: Project;
const until = (name: string, isSo: (source: Source) => boolean): Promise<Source> =>
  server.untilSource(project.id, name, isSo);

beforeAll(async () => {
  server = await TestServer.start();
  project = (await server.call<Project>('POST', 'projects', { name: 'Changing' })).body;
});

afterAll(() => server.stop());

describe('files that change', () => {
  const CLIP = { source: 6, width: 320, height: 180, rate: '25' };

  it('are taken for moved when the same stands elsewhere', async () => {
    const path = join(server.footage, 'wanders.mp4');
    await makeCodedClip({ ...CLIP, frames: 30, path });
    await server.addSources(project.id, [path]);
    const before = await until('wanders.mp4', ({ contentHash }) => contentHash !== null);
    await mkdir(join(server.footage, 'card 2'));
    await rename(path, join(server.footage, 'card 2', 'wandered.mp4'));
    const after = await until('wandered.mp4', ({ state }) => state === 'ready');
    expect(after).toMatchObject({
      id: before.id,
      folder: join(server.footage, 'card 2'),
      stamp: before.stamp,
    });
    expect(after.structure).not.toBeNull();
  });

  it('are missing when they are gone, and back when they are', async () => {
    const path = join(server.footage, 'card 2', 'wandered.mp4');
    const kept = await readFile(path);
    await rm(path);
    expect((await until('wandered.mp4', ({ state }) => state === 'missing')).problem).toMatch(
      /not at .*wandered/,
    );
    await writeFile(path, kept);
    await until('wandered.mp4', ({ state }) => state === 'ready');
  });

  it('that never were there keep their message when they are searched for again', async () => {
    const wanted = { names: ['nowhere.mp4'], keepMissing: true };
    await server.call('POST', `projects/${project.id}/sources/search`, wanted);
    const first = await until('nowhere.mp4', ({ state }) => state === 'missing');
    expect(first.problem).toContain(`Put it into ${server.footage}`);
    // All files are looked at when the server starts.
    await server.restart();
    expect((await until('nowhere.mp4', () => true)).problem).toBe(first.problem);
  });

  it('are marked as growing while they are written, and are read when they are complete', async () => {
    const path = join(server.footage, 'recording.ts');
    const whole = join(server.folder, 'whole.ts');
    await makeCodedClip({
      ...CLIP,
      frames: 200,
      path: whole,
      encoder: ['-c:v', 'libx264', '-g', '25', '-f', 'mpegts'],
    });
    const bytes = await readFile(whole);
    await writeFile(path, bytes.subarray(0, Math.floor(bytes.length / 3 / 188) * 188));
    await server.addSources(project.id, [path]);
    const first = await until('recording.ts', ({ state }) => state === 'ready');
    await server.settle(project.id);
    await appendFile(path, bytes.subarray(Math.floor(bytes.length / 3 / 188) * 188));
    const growing = await until('recording.ts', ({ state }) => state === 'growing');
    expect(growing.problem).toMatch(/still being written: .* MB/);
    const read = await until('recording.ts', ({ state }) => state === 'ready');
    expect(read.facts!.picture!.frameCount).toBeGreaterThan(2 * first.facts!.picture!.frameCount);
    expect(read.stamp).not.toBe(first.stamp);
    await server.settle(project.id);
    expect((await until('recording.ts', ({ structure }) => structure !== null)).structure!.packets).toBe(200);
  });

  it('that were only touched keep their light copies', async () => {
    const path = join(server.footage, 'touched.mp4');
    await makeCodedClip({ ...CLIP, frames: 60, path });
    await server.addSources(project.id, [path]);
    const touched = await until('touched.mp4', ({ state }) => state === 'ready');
    await server.settle(project.id);
    const [copy] = await server.makeCopies(project.id, [touched.id], 4);
    const bytes = await readFile(path);
    await writeFile(path, bytes);
    await new Promise((resolve) => setTimeout(resolve, 500));
    await until('touched.mp4', ({ state }) => state === 'ready');
    const copies = await server.get<{ id: string; state: string }[]>(`projects/${project.id}/copies`);
    expect(copies.find(({ id }) => id === copy!.id)?.state).toBe('ready');
  });
});
