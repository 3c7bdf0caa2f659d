import { execFileSync } from 'node:child_process';
import { copyFile, readdir, utimes } from 'node:fs/promises';
import { join } from 'node:path';
import type { CopyEstimate, FolderEntry, Job, LightCopy, Project, Source } from '@hone/core/api';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { CLIPS, codesOf, makeClips, varyingFrames, type ClipName } from '../fixtures/clips.js';
import { TestServer } from '../fixtures/server.js';

interface Probe {
  streams: {
    width: number;
    height: number;
    avg_frame_rate: string;
    nb_read_packets: string;
    duration: string;
    sample_aspect_ratio?: string;
  }[];
}

function probed(path: string): Probe['streams'][number] {
  const entries = 'stream=width,height,avg_frame_rate,nb_read_packets,duration,sample_aspect_ratio';
  const args = [
    '-v',
    'error',
    '-select_streams',
    'v',
    '-count_packets',
    '-show_entries',
    entries,
    '-of',
    'json',
    path,
  ];
  return (JSON.parse(String(execFileSync('ffprobe', args))) as Probe).streams[0]!;
}

describe('light copies', () => {
  let server: TestServer;
  let project: Project;
  let sources: Source[];
  let copies: LightCopy[];
  let paths: Record<ClipName, string>;

  beforeAll(async () => {
    server = await TestServer.start();
    paths = await makeClips(server.footage);
    project = (await server.call<Project>('POST', 'projects', { name: 'Copies' })).body;
    sources = await server.addSources(project.id, Object.values(paths));
    copies = await server.makeCopies(
      project.id,
      sources.map(({ id }) => id),
      2,
    );
  });

  afterAll(() => server.stop());

  const copyPath = (sourceId: string): string => join(server.folder, 'data', 'copies', `${sourceId}-2.mp4`);
  const nameOf = (source: Source): ClipName => source.name.replace('.mp4', '') as ClipName;

  it('are ready, each with its likeness', () => {
    expect(copies).toHaveLength(4);
    for (const copy of copies) {
      expect(copy).toMatchObject({ state: 'ready', width: 320, height: 180 });
      expect(copy.likeness!.frames).toBeGreaterThanOrEqual(12);
      expect(copy.likeness!.ssim).toBeGreaterThan(0.9);
      expect(copy.likeness!.psnrDb).toBeGreaterThan(28);
    }
  });

  it('have the length, the rate and the shape of their sources', () => {
    for (const source of sources) {
      const original = probed(paths[nameOf(source)]);
      const copy = probed(copyPath(source.id));
      expect(copy.nb_read_packets).toBe(original.nb_read_packets);
      expect(copy.avg_frame_rate).toBe(original.avg_frame_rate);
      expect(Number(copy.duration)).toBeCloseTo(Number(original.duration), 3);
      expect(copy.width / copy.height).toBe(original.width / original.height);
    }
  });

  it('hold the same frames in the same order', () => {
    for (const source of sources) {
      const clip = CLIPS[nameOf(source)];
      const numbers =
        nameOf(source) === 'varying' ? varyingFrames() : Array.from({ length: clip.frames }, (_, n) => n);
      const codes = codesOf(copyPath(source.id));
      expect(codes).toEqual(numbers.map((frame) => ({ frame, source: clip.source })));
    }
  });

  it('consist of key frames only', () => {
    const args = [
      '-v',
      'error',
      '-select_streams',
      'v',
      '-show_entries',
      'packet=flags',
      '-of',
      'csv=p=0',
      copyPath(sources[0]!.id),
    ];
    const flags = String(execFileSync('ffprobe', args)).trim().split('\n');
    expect(flags.every((flag) => flag.startsWith('K'))).toBe(true);
  });

  it('agree with what ffmpeg itself says of their likeness', () => {
    const copy = copies.find(({ sourceId }) => sourceId === sources[0]!.id)!;
    const args = [
      '-v',
      'info',
      '-i',
      copyPath(copy.sourceId),
      '-i',
      paths[nameOf(sources[0]!)],
      '-filter_complex',
      '[1:v]scale=320:180:flags=area[r];[0:v][r]ssim',
      '-f',
      'null',
      '-',
    ];
    const said = execFileSync('sh', ['-c', `ffmpeg ${args.map((arg) => `'${arg}'`).join(' ')} 2>&1`]);
    const all = Number(/All:([\d.]+)/.exec(String(said))![1]);
    expect(Math.abs(copy.likeness!.ssim - all)).toBeLessThan(0.01);
  });

  it('are predicted in size within a fifth', async () => {
    const body = { sourceIds: sources.map(({ id }) => id), divisor: 2 };
    const estimates = (
      await server.call<CopyEstimate[]>('POST', `projects/${project.id}/copies/estimate`, body)
    ).body;
    for (const estimate of estimates) {
      const copy = copies.find(({ sourceId }) => sourceId === estimate.sourceId)!;
      expect(Math.abs(estimate.bytes / copy.bytes - 1)).toBeLessThan(0.2);
      expect(estimate.seconds).toBeGreaterThan(0);
      expect(estimate.sampledFrames).toBeGreaterThan(8);
    }
  });

  it('are not made twice', async () => {
    const before = await server.get<LightCopy[]>(`projects/${project.id}/copies`);
    const again = await server.makeCopies(project.id, [sources[0]!.id], 2);
    expect(again.map(({ id }) => id).sort()).toEqual(before.map(({ id }) => id).sort());
  });

  it('that are cancelled leave nothing behind', async () => {
    const { body } = await server.call<LightCopy[]>('POST', `projects/${project.id}/copies`, {
      sourceIds: [sources[0]!.id],
      divisor: 1,
    });
    const jobs = await server.get<Job[]>(`projects/${project.id}/jobs`);
    const job = jobs.find(({ subjectId }) => subjectId === body[0]!.id)!;
    expect((await server.call<Job>('POST', `jobs/${job.id}/cancel`)).body.state).toBe('cancelled');
    const rest = await server.get<LightCopy[]>(`projects/${project.id}/copies`);
    expect(rest.some(({ id }) => id === body[0]!.id)).toBe(false);
    const files = await readdir(join(server.folder, 'data', 'copies'));
    expect(files.filter((name) => name.includes('-1.mp4') || name.endsWith('.part'))).toEqual([]);
    expect((await server.call('POST', `jobs/${job.id}/cancel`)).status).toBe(409);
  });

  it('are made after a restart when they were cut off', async () => {
    const { body } = await server.call<LightCopy[]>('POST', `projects/${project.id}/copies`, {
      sourceIds: [sources[1]!.id],
      divisor: 4,
    });
    await server.restart();
    const jobs = await server.settle(project.id);
    expect(jobs.find(({ subjectId, kind }) => kind === 'copy' && subjectId === body[0]!.id)!.state).toBe(
      'done',
    );
    const after = await server.get<LightCopy[]>(`projects/${project.id}/copies`);
    expect(after.find(({ id }) => id === body[0]!.id)!.state).toBe('ready');
  });

  it('can be deleted while they are compared with their source, which ends without a fault', async () => {
    const [first] = sources;
    const { body } = await server.call<LightCopy[]>('POST', `projects/${project.id}/copies`, {
      sourceIds: [first!.id],
      divisor: 8,
    });
    const { id } = body[0]!;
    const jobs = (): Promise<Job[]> => server.get(`projects/${project.id}/jobs`);
    const compared = async (): Promise<Job | undefined> =>
      (await jobs()).find(({ kind, subjectId }) => kind === 'likeness' && subjectId === id);
    await expect
      .poll(async () => (await compared())?.state, { interval: 10, timeout: 30_000 })
      .toBe('running');
    expect((await server.call('DELETE', `copies/${id}`)).status).toBe(204);
    await server.settle(project.id);
    expect((await compared())!.state).toBe('cancelled');
    expect((await jobs()).filter(({ state }) => state === 'failed')).toEqual([]);
  });

  it('go stale when the source becomes another file', async () => {
    await copyFile(paths.pal25, paths.long24);
    await utimes(paths.long24, new Date(), new Date());
    const long = sources.find(({ name }) => name === 'long24.mp4')!;
    await server.addSources(project.id, [paths.long24]);
    const after = await server.get<LightCopy[]>(`projects/${project.id}/copies`);
    expect(after.find(({ sourceId, divisor }) => sourceId === long.id && divisor === 2)!.state).toBe('stale');
  });

  it('are made of larger sources at import, where the project says so', async () => {
    const { body: eager } = await server.call<Project>('POST', 'projects', { name: 'At import' });
    const ordered = (): Promise<LightCopy[]> => server.get(`projects/${eager.id}/copies`);
    const { children } = await server.get<FolderEntry>('folders');
    const folder = await server.get<FolderEntry>(
      `folders/${children.find(({ label }) => label === server.footage)!.id}`,
    );
    const add = async (name: string): Promise<void> => {
      const fileIds = [folder.files.find((file) => file.name === name)!.id];
      await server.call('POST', `projects/${eager.id}/sources`, { fileIds });
      await server.settle(eager.id);
    };
    await add('long24.mp4');
    expect(await ordered()).toEqual([]);
    const tuning = { ...eager.tuning, copiesAtImport: true, copyScale: 2 };
    await server.call('PUT', `projects/${eager.id}/tuning`, tuning);
    await add('fast60.mp4');
    expect(await ordered()).toMatchObject([{ state: 'ready', divisor: 2, width: 320, height: 180 }]);
    // Copies of the timeline's own size are none that a source is larger than.
    await server.call('PUT', `projects/${eager.id}/tuning`, { ...tuning, copyScale: 1 });
    await add('pal25.mp4');
    expect(await ordered()).toHaveLength(1);
    expect((await server.get<{ freeBytes: number }>('copies/room')).freeBytes).toBeGreaterThan(0);
  });

  it('of sources without a picture are refused with the reason', async () => {
    execFileSync('ffmpeg', [
      '-v',
      'error',
      '-f',
      'lavfi',
      '-t',
      '1',
      '-i',
      'sine',
      join(server.footage, 'only.wav'),
    ]);
    const added = await server.addSources(project.id, [join(server.footage, 'only.wav')]);
    const sound = added.find(({ name }) => name === 'only.wav')!;
    const { status, body } = await server.call<{ detail: string }>('POST', `projects/${project.id}/copies`, {
      sourceIds: [sound.id],
      divisor: 2,
    });
    expect(status).toBe(409);
    expect(body.detail).toContain('no picture');
  });
});
