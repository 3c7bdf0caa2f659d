import { join } from 'node:path';
import type { ExportRecord, Project } from '@hone/core/api';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { codesOf } from '../fixtures/clips.js';
import { expectedCodes, makeCutProject, type NamedCut } from '../fixtures/cut-project.js';
import { TestServer } from '../fixtures/server.js';
import { makeTwoTones, pitchOf, TWO_TONES } from '../fixtures/sound.js';

/** Clips of every rate, slower, faster and backwards. */
const CUTS: readonly NamedCut[] = [
  ['long24', rational(1, 24), 20, rational(2)],
  ['fast60', rational(1, 2), 20, rational(1, 3)],
  ['pal25', rational(2), 24, rational(-1)],
  // The last frames stand before the first of the source, which is shown then.
  ['varying', rational(1), 22, rational(-3, 2)],
  ['long24', rational(59, 24), 37, rational(-1, 2)],
  ['varying', rational(1, 4), 20, rational(5, 4)],
  ['fast60', rational(1), 12],
];

describe('an export of clips at other speeds', () => {
  let server: TestServer;
  let record: ExportRecord;

  beforeAll(async () => {
    server = await TestServer.start();
    const { project } = await makeCutProject(server, 'Speeds', CUTS);
    record = await server.export(project.id);
  });

  afterAll(() => server.stop());

  const file = (): string => `${server.folder}/data/exports/${record.id}.mp4`;

  it('shows the right frame of the right source in every frame', () => {
    expect(record.state).toBe('ready');
    expect(codesOf(file())).toEqual(expectedCodes(CUTS));
  });

  it('is proved by looking the original frames up on another way', () => {
    for (const { frame, ssim } of record.proof!.frames) expect(ssim, `frame ${frame}`).toBeGreaterThan(0.95);
  });

  it.each([
    ['an octave higher', false, 660],
    ['at its own pitch where it is to keep that', true, 330],
  ])('plays sound at twice the speed %s', async (_, keepsPitch, pitch) => {
    const { project } = await makeCutProject(server, 'Octave', [['long24', rational(0), 48]]);
    const { timeline } = await server.get<Project>(`projects/${project.id}`);
    const retimed = { length: 24, speed: rational(2), keepsPitch };
    const tracks = timeline.tracks.map((track) =>
      track.kind === 'sound'
        ? { ...track, clips: track.clips.map((clip) => ({ ...clip, ...retimed })) }
        : track,
    );
    await server.setTimeline(project.id, { ...timeline, tracks });
    const { id } = await server.export(project.id);
    const path = `${server.folder}/data/exports/${id}.mp4`;
    // The clip sounds at 330 Hz.
    expect(Math.abs(pitchOf(path, 0.1, 0.8) - pitch)).toBeLessThan(6);
  });

  it('keeps the pitch of sound that runs backwards and far slower, to its end', async () => {
    const { project } = await makeCutProject(server, 'Slow', [['long24', rational(0), 48]]);
    const { timeline } = await server.get<Project>(`projects/${project.id}`);
    const slow = { length: 72, sourceIn: rational(23, 24), speed: rational(-1, 5), keepsPitch: true };
    const tracks = timeline.tracks.map((track) =>
      track.kind === 'sound' ? { ...track, clips: track.clips.map((clip) => ({ ...clip, ...slow })) } : track,
    );
    await server.setTimeline(project.id, { ...timeline, tracks });
    const { id } = await server.export(project.id);
    const path = `${server.folder}/data/exports/${id}.mp4`;
    for (const from of [0.2, 1.2, 2.1]) expect(Math.abs(pitchOf(path, from, 0.8) - 330)).toBeLessThan(6);
  });

  it('plays sound backwards, without a break where it is turned in pieces', async () => {
    const { project, ids } = await makeCutProject(server, 'Backwards', [['long24', rational(0), 48]]);
    const path = join(server.footage, 'two-tones.wav');
    makeTwoTones(path, [3, 62]);
    const added = await server.addSources(project.id, [path]);
    await server.settle(project.id);
    const tones = added.find(({ id }) => !Object.values(ids).includes(id))!;
    const { timeline } = await server.get<Project>(`projects/${project.id}`);
    const frames = 65 * 24;
    const turned = {
      sourceId: tones.id,
      length: frames,
      sourceIn: rational(frames - 1, 24),
      speed: rational(-1),
    };
    const tracks = timeline.tracks.map((track) =>
      track.kind === 'sound'
        ? { ...track, clips: track.clips.map((clip) => ({ ...clip, ...turned })) }
        : track,
    );
    await server.setTimeline(project.id, { ...timeline, tracks });
    const { id, state } = await server.export(project.id);
    expect(state).toBe('ready');
    const exported = `${server.folder}/data/exports/${id}.mp4`;
    const [first, last] = TWO_TONES;
    expect(pitchOf(exported, 0.1, 1)).toBeCloseTo(last, -1);
    // A minute is turned in one go.
    expect(Math.abs(pitchOf(exported, 59, 2) - last)).toBeLessThan(2);
    expect(pitchOf(exported, 61.85, 0.1)).toBeCloseTo(last, -2);
    expect(pitchOf(exported, 62.05, 0.1)).toBeCloseTo(first, -2);
    expect(pitchOf(exported, 63.5, 1)).toBeCloseTo(first, -1);
  }, 240_000);
});
