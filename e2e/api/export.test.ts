import { execFileSync } from 'node:child_process';
import { readFile } from 'node:fs/promises';
import { createHash } from 'node:crypto';
import type { ExportRecord, Project } from '@hone/core/api';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { codesOf, type ClipName } from '../fixtures/clips.js';
import { expectedCodes, makeCutProject, type CutProject, type NamedCut } from '../fixtures/cut-project.js';
import { frameSums } from '../fixtures/likeness.js';
import { cutTimeline, TestServer } from '../fixtures/server.js';
import { pitchOf } from '../fixtures/sound.js';

const CUTS: readonly NamedCut[] = [
  ['long24', rational(0), 20],
  ['fast60', rational(1, 3), 24],
  ['pal25', rational(17, 25), 22],
  ['varying', rational(1, 2), 30],
  ['long24', rational(59, 24), 25],
  ['fast60', rational(1001 * 37, 60_000), 20],
];

describe('an export', () => {
  let server: TestServer;
  let project: Project;
  let ids: CutProject['ids'];
  let paths: CutProject['paths'];
  let record: ExportRecord;
  const expected = expectedCodes(CUTS);

  beforeAll(async () => {
    server = await TestServer.start();
    ({ project, ids, paths } = await makeCutProject(server, 'Export', CUTS));
    record = await server.export(project.id);
  });

  afterAll(() => server.stop());

  const file = (): string => `${server.folder}/data/exports/${record.id}.mp4`;

  it('is finished', () => expect(record.state).toBe('ready'));

  it('shows the right frame of the right source in every frame', () => {
    expect(codesOf(file())).toEqual(expected);
  });

  it('has the size and the rate of the delivery, and sound as long as the picture', () => {
    const entries = 'stream=codec_type,codec_name,width,height,r_frame_rate,duration';
    const probed = JSON.parse(
      String(execFileSync('ffprobe', ['-v', 'error', '-show_entries', entries, '-of', 'json', file()])),
    ) as {
      streams: {
        codec_type: string;
        duration: string;
        width?: number;
        r_frame_rate: string;
        codec_name: string;
      }[];
    };
    const video = probed.streams.find(({ codec_type }) => codec_type === 'video')!;
    const audio = probed.streams.find(({ codec_type }) => codec_type === 'audio')!;
    expect(video).toMatchObject({ codec_name: 'h264', width: 640, height: 360, r_frame_rate: '24/1' });
    expect(audio.codec_name).toBe('aac');
    const seconds = expected.length / 24;
    expect(Number(video.duration)).toBeCloseTo(seconds, 3);
    expect(Math.abs(Number(audio.duration) - seconds)).toBeLessThan(0.05);
  });

  it('carries the sound of the original: 330 Hz', () => {
    expect(Math.abs(pitchOf(file(), 1, 1) - 330)).toBeLessThan(3);
  });

  it('proves it', async () => {
    const proof = record.proof!;
    expect(proof.frameCount).toBe(expected.length);
    expect(proof.otherInputs).toEqual([]);
    expect(proof.originals.map(({ name }) => name).sort()).toEqual([
      'fast60.mp4',
      'long24.mp4',
      'pal25.mp4',
      'varying.mp4',
    ]);
    for (const original of proof.originals) {
      const name = original.name.replace('.mp4', '') as ClipName;
      const hash = createHash('sha256')
        .update(await readFile(paths[name]))
        .digest('hex');
      expect(original.sha256).toBe(hash);
    }
    expect(proof.frames.length).toBeGreaterThanOrEqual(24);
    for (const [, index] of [0, 1, 2, 3, 4].entries()) {
      const cut = CUTS.slice(0, index + 1).reduce((sum, [, , frames]) => sum + frames, 0);
      expect(proof.frames.map(({ frame }) => frame)).toEqual(expect.arrayContaining([cut - 1, cut]));
    }
    // A neighbouring frame of the pattern differs by a shift of seven pixels and falls far below this.
    for (const frame of proof.frames) expect(frame.ssim, `frame ${frame.frame}`).toBeGreaterThan(0.95);
  });

  it('is frame for frame the same whatever the levers are, singly and together', async () => {
    await server.makeCopies(project.id, Object.values(ids), 2);
    const plain = { playScale: 1, restScale: 1, lightCopies: false };
    const { timeline } = await server.get<Project>(`projects/${project.id}`);
    const trackIds = timeline.tracks.map(({ id }) => id);
    const moved = {
      playScale: 16,
      restScale: 8,
      lightCopies: true,
      workingLines: 240,
      bypass: ['colour', 'blur'],
      bypassAtRest: true,
      bypassedClips: timeline.tracks.flatMap(({ clips }) => clips.map(({ id }) => id)),
      decodePaths: [{ codec: 'h264', profile: 'High', path: 'software' }],
      composeOn: 'graphics processor',
      everySecondFrame: true,
      listenOnly: true,
      tracksOff: trackIds.slice(0, 1),
      soloTracks: trackIds.slice(1, 2),
    };
    const exported = async (
      tuning: object,
      driveId: string | null,
    ): Promise<readonly (string | undefined)[]> => {
      expect((await server.call('PUT', `projects/${project.id}/tuning`, tuning)).status).toBe(200);
      expect((await server.call('PUT', 'simulation', { driveId })).status).toBe(200);
      const { id, proof } = await server.export(project.id);
      return [frameSums(`${server.folder}/data/exports/${id}.mp4`), proof!.graphSha256, proof!.sha256];
    };
    const plainest = await exported(plain, null);
    for (const [lever, position] of Object.entries(moved))
      expect(await exported({ ...plain, [lever]: position }, null), lever).toEqual(plainest);
    expect(await exported(plain, 'fast-solid-state'), 'simulated drive').toEqual(plainest);
    expect(await exported(moved, 'fast-solid-state'), 'all').toEqual(plainest);
    await server.call('PUT', 'simulation', { driveId: null });
    // One export for each lever.
  }, 480_000);

  it('is proved at more places than a sum of ffmpeg has terms', async () => {
    const before = await server.get<Project>(`projects/${project.id}`);
    // Of so many cuts every third is looked at, on both sides; the two sources differ everywhere.
    const cuts = Array.from({ length: 130 }, (_, at) => ({
      sourceId: at % 2 ? ids.long24 : ids.pal25,
      sourceIn: rational(at % 5, 4),
      frames: 2,
    }));
    await server.setTimeline(project.id, cutTimeline(rational(24), before.timeline.size, cuts, ids.long24));
    const { state, proof } = await server.export(project.id);
    expect(state).toBe('ready');
    expect(proof!.frames.length).toBeGreaterThan(100);
    expect(Math.min(...proof!.frames.map(({ ssim }) => ssim))).toBeGreaterThan(0.9);
    await server.setTimeline(project.id, before.timeline);
  });

  it('waits for originals that are not there', async () => {
    const { rename } = await import('node:fs/promises');
    await rename(paths.pal25, `${paths.pal25}.away`);
    const { status, body } = await server.call<{ detail: string }>('POST', `projects/${project.id}/exports`);
    await rename(`${paths.pal25}.away`, paths.pal25);
    expect(status).toBe(409);
    expect(body.detail).toContain('pal25.mp4');
  });

  it('leaves nothing behind when it is cancelled', async () => {
    const { readdir } = await import('node:fs/promises');
    await server.get(`projects/${project.id}/sources`);
    const before = await readdir(`${server.folder}/data/exports`);
    const { body } = await server.call<ExportRecord>('POST', `projects/${project.id}/exports`);
    const jobs = await server.get<{ id: string; kind: string; state: string }[]>(
      `projects/${project.id}/jobs`,
    );
    const job = jobs.find(
      ({ kind, state }) => kind === 'export' && (state === 'running' || state === 'waiting'),
    )!;
    expect((await server.call('POST', `jobs/${job.id}/cancel`)).status).toBe(200);
    const records = await server.get<ExportRecord[]>(`projects/${project.id}/exports`);
    expect(records.find(({ id }) => id === body.id)!.state).toBe('cancelled');
    expect(await readdir(`${server.folder}/data/exports`)).toEqual(before);
  });
});
