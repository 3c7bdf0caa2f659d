import { execFile } from 'node:child_process';
import { readdir, readFile, truncate } from 'node:fs/promises';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { promisify } from 'node:util';
import type { Job, Project, Source } from '@hone/core/api';
import { placeable } from '@hone/core/media';
import { rational } from '@hone/core/time';
import { soloTimeline } from '@hone/core/timeline';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeClips } from '../fixtures/clips.js';
import { TestServer } from '../fixtures/server.js';

const run = promisify(execFile);

/** Large enough that its fingerprint takes seconds; what is behind the clip is a hole in the file. */
const LARGE_BYTES = 2 * 2 ** 30;

/** Lengths at which a kind of job takes long enough to be caught, where another one than usual is needed. */
const CLIP_SECONDS: Readonly<Record<string, number>> = { index: 3600, likeness: 12, stretch: 120 };

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

  /** Asks for a render of two minutes of a source. */
  async function render({ id, facts }: Source): Promise<void> {
    await server.settle(project.id);
    const solo = soloTimeline(placeable(id, 'long', facts!), {
      rate: rational(24),
      size: { width: 640, height: 360 },
    });
    await server.setTimeline(project.id, solo);
    const order = { ranges: [{ from: 0, to: 2880 }], size: { width: 640, height: 360 } };
    expect((await server.call('POST', `projects/${project.id}/cached-stretches`, order)).status).toBe(202);
  }

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

  // Jobs that ffmpeg and ffprobe work for. A stopped program has the state T (proc_pid_stat(5)).
  it.each(['index', 'sound', 'strip', 'damage', 'likeness', 'stretch'])(
    'the programs of a job of the kind "%s" stop within 200 ms, and end their work afterwards',
    async (kind) => {
      const path = join(server.footage, `${kind}.mkv`);
      await makeLongClip(path, CLIP_SECONDS[kind] ?? 1200);
      const added = await server.addSources(project.id, [path]);
      if (kind === 'stretch') await render(added.find(({ name }) => name === `${kind}.mkv`)!);
      if (kind === 'likeness') {
        await server.settle(project.id);
        const { id } = added.find(({ name }) => name === `${kind}.mkv`)!;
        const order = { sourceIds: [id], divisor: 2 };
        expect((await server.call('POST', `projects/${project.id}/copies`, order)).status).toBeLessThan(300);
      }
      const job = async (): Promise<Job | undefined> =>
        (await server.get<Job[]>(`projects/${project.id}/jobs`)).find(
          (each) =>
            each.kind === kind &&
            (kind === 'stretch' || each.title.includes(`${kind}.mkv`)) &&
            each.state !== 'waiting',
        );
      await expect
        .poll(async () => (await job())?.state === 'running' && (await programs()).length > 0, {
          interval: 10,
          timeout: 60_000,
        })
        .toBe(true);
      await server.call('POST', 'sampling');
      await sleep(200);
      const held = await programs();
      expect(held.length).toBeGreaterThan(0);
      expect(held.every(({ state }) => state === 'T')).toBe(true);
      expect(await job()).toMatchObject({ state: 'running' });
      await expect.poll(async () => (await job())!.state, { timeout: 90_000 }).toBe('done');
    },
    180_000,
  );
});

/** The programs that this process has started, with their states. */
async function programs(): Promise<{ readonly state: string }[]> {
  const all = await Promise.all(
    (await readdir('/proc')).map((pid) => readFile(`/proc/${pid}/stat`, 'utf8').catch(() => '')),
  );
  return all.flatMap((line) => {
    const [, name, state, parent] = /^\d+ \((.*)\) (\S) (\d+)/.exec(line) ?? [];
    return Number(parent) === process.pid && /^ff(mpeg|probe)$/.test(name ?? '') && state !== 'Z'
      ? [{ state: state! }]
      : [];
  });
}

/** A small picture with a tone, repeated so often that each job on it takes a while. */
async function makeLongClip(path: string, seconds: number): Promise<void> {
  const ten = `${path}.ten.mkv`;
  const picture = ['-f', 'lavfi', '-i', 'testsrc2=size=320x180:rate=24:duration=10'];
  const tone = ['-f', 'lavfi', '-i', 'sine=frequency=440:sample_rate=48000:duration=10'];
  const coded = [
    '-c:v',
    'libx264',
    '-preset',
    'veryfast',
    '-crf',
    '36',
    '-g',
    '24',
    '-c:a',
    'mp2',
    '-b:a',
    '64k',
  ];
  await run('ffmpeg', ['-v', 'error', '-y', ...picture, ...tone, ...coded, ten]);
  const times = String(Math.ceil(seconds / 10) - 1);
  await run('ffmpeg', ['-v', 'error', '-y', '-stream_loop', times, '-i', ten, '-c', 'copy', path]);
}
