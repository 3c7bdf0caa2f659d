import { execFileSync } from 'node:child_process';
import type { ExportEstimate, Project } from '@hone/core/api';
import { rational } from '@hone/core/time';
import type { Effect, Timeline } from '@hone/core/timeline';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { CUT_SIZE, makeCutProject, type CutProject } from '../fixtures/cut-project.js';
import { effectOf, TITLE_SETTINGS } from '../fixtures/effect-cases.js';
import { TestServer } from '../fixtures/server.js';

describe('an export with effects', () => {
  let server: TestServer;
  let made: CutProject;

  beforeAll(async () => {
    server = await TestServer.start();
    made = await makeCutProject(server, 'With effects', [
      ['long24', rational(1), 24],
      ['pal25', rational(1), 24],
    ]);
    await server.settle(made.project.id);
  });

  afterAll(() => server.stop());

  const withEffects = (effects: readonly Effect[]): Timeline => ({
    ...made.timeline,
    tracks: made.timeline.tracks.map((track, index) =>
      index === 0
        ? { ...track, clips: track.clips.map((clip, at) => (at === 0 ? { ...clip, effects } : clip)) }
        : track,
    ),
  });

  /** Mean luma of a frame of a film. */
  const lumaOf = (path: string, frame: number): number => {
    const select = `select=eq(n\\,${frame}),scale=1:1:flags=area,format=gray`;
    return execFileSync('ffmpeg', [
      '-v',
      'error',
      '-i',
      path,
      '-vf',
      select,
      '-frames:v',
      '1',
      '-f',
      'rawvideo',
      '-',
    ])[0]!;
  };

  it('has them where they are, and its proof is made with them', async () => {
    const { body: table } = await server.callText<{ id: string }>(
      'tables',
      'LUT_1D_SIZE 2\n0 0 0\n0.5 0.5 0.5\n',
    );
    const effects = [effectOf('table', [{ table: table.id }]), effectOf('title', TITLE_SETTINGS[1]!)];
    await server.setTimeline(made.project.id, withEffects(effects));
    const record = await server.export(made.project.id);
    expect(record.state).toBe('ready');
    const { proof } = record;
    expect(proof!.otherInputs).toEqual([]);
    expect(Math.min(...proof!.frames.map(({ ssim }) => ssim))).toBeGreaterThan(0.95);
    const path = (await server.services.exports.get(record.id)).path;
    expect(lumaOf(path, 10)).toBeLessThan(lumaOf(path, 40) - 20);
  });

  it('has temporal noise reduction, which the preview leaves out', async () => {
    await server.setTimeline(made.project.id, withEffects([effectOf('denoise', [{ strength: 60 }])]));
    const record = await server.export(made.project.id);
    expect(record.state).toBe('ready');
    expect(record.proof!.filters).toContain('atadenoise');
  });

  it('has sound that comes and goes where the clips say', async () => {
    const tracks = made.timeline.tracks.map((track) =>
      track.kind === 'sound'
        ? { ...track, clips: track.clips.map((clip) => ({ ...clip, fades: { in: 24, out: 12 } })) }
        : track,
    );
    await server.setTimeline(made.project.id, { ...made.timeline, tracks });
    const record = await server.export(made.project.id);
    const { path } = await server.services.exports.get(record.id);
    /** Root of the mean square of the sound in a piece. */
    const loudness = (from: number, seconds: number): number => {
      const bytes = execFileSync('ffmpeg', [
        ...['-v', 'error', '-i', path, '-af', `atrim=start=${from}:duration=${seconds}`],
        ...['-ac', '1', '-f', 'f32le', '-'],
      ]);
      const samples = new Float32Array(bytes.buffer, bytes.byteOffset, bytes.length / 4);
      return Math.sqrt(samples.reduce((sum, value) => sum + value * value, 0) / samples.length);
    };
    const full = loudness(1.05, 0.4);
    expect(full).toBeGreaterThan(0.01);
    expect(loudness(0, 0.1) / full).toBeLessThan(0.15);
    // Halfway through an even rise it is half as loud: a sine keeps its level, whatever its frequency.
    expect(loudness(0.45, 0.1) / full).toBeGreaterThan(0.35);
    expect(loudness(0.45, 0.1) / full).toBeLessThan(0.65);
    expect(loudness(1.95, 0.05) / full).toBeLessThan(0.15);
  });

  it('is predicted from pieces of it, or by its bit rate, and says when it is more than is in the sources', async () => {
    await server.setTimeline(made.project.id, made.timeline);
    const path = `projects/${made.project.id}/exports/estimate`;
    const { body: byQuality } = await server.call<ExportEstimate>('POST', path);
    expect(byQuality.sampledFrames).toBe(48);
    const record = await server.export(made.project.id);
    // The pieces are the whole here, so that only the sound and the container differ.
    expect(byQuality.bytes / record.bytes!).toBeGreaterThan(0.7);
    expect(byQuality.bytes / record.bytes!).toBeLessThan(1.4);
    const { revision, timeline, delivery } = await server.get<Project>(`projects/${made.project.id}`);
    const large = { ...delivery, megabits: 90, size: { width: 1280, height: 720 } };
    await server.call('PUT', `projects/${made.project.id}`, { revision, timeline, delivery: large });
    const { body: byRate } = await server.call<ExportEstimate>('POST', path);
    expect(byRate.bytes).toBe(Math.round(((90e6 + 256e3) / 8) * 2));
    expect(byRate.remarks.join(' ')).toMatch(/larger than every source; the largest has 640 × 360/);
    expect(byRate.remarks.join(' ')).toMatch(/takes 90 Mbit\/s/);
  });

  it('is refused with a sentence when an effect is not understood, and nothing is changed', async () => {
    const before = await server.get<Project>(`projects/${made.project.id}`);
    const { revision, delivery } = before;
    const timeline = withEffects([{ ...effectOf('blur', [{ radius: 99 }]), id: 'b' }]);
    const reply = await server.call('PUT', `projects/${made.project.id}`, { revision, delivery, timeline });
    expect(reply.status).toBe(400);
    expect(JSON.stringify(reply.body)).toMatch(
      /Clip .*cut 0.*Gaussian blur: radius must be less than or equal to 20/,
    );
    expect(await server.get<Project>(`projects/${made.project.id}`)).toEqual(before);
    const gone = withEffects([effectOf('table', [{ table: 'f'.repeat(64) }])]);
    await server.setTimeline(made.project.id, gone);
    const record = await server.export(made.project.id);
    expect(record.state).toBe('failed');
    expect(CUT_SIZE.width).toBe(640);
  });

  it('keeps colour tables, and names the line of a wrong one', async () => {
    const wrong = await server.callText<{ detail: string }>('tables', 'LUT_3D_SIZE 2\n0 0\n');
    expect(wrong.status).toBe(400);
    expect(wrong.body.detail).toMatch(/line 2/);
    expect(await server.get<unknown[]>('tables')).toHaveLength(1);
    expect((await fetch(`${server.url}/media/tables/${'0'.repeat(64)}`)).status).toBe(404);
    expect((await fetch(`${server.url}/media/fonts/..%2f..%2fpackage.json`)).status).toBe(404);
    const font = await fetch(`${server.url}/media/fonts/inter-latin-600-normal.woff`);
    expect((await font.arrayBuffer()).byteLength).toBeGreaterThan(10_000);
  });
});
