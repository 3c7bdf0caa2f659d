import type { ExportRecord } from '@hone/core/api';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { codesOf } from '../fixtures/clips.js';
import { expectedCodes, makeCutProject, type NamedCut } from '../fixtures/cut-project.js';
import { TestServer } from '../fixtures/server.js';
import { pitchOf } from '../fixtures/sound.js';

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

  it('plays sound at twice the speed an octave higher', async () => {
    const { project } = await makeCutProject(server, 'Octave', [['long24', rational(0), 48]]);
    const timeline = {
      ...project.timeline,
      ...(await server.get<typeof project>(`projects/${project.id}`)).timeline,
    };
    const tracks = timeline.tracks.map((track) =>
      track.kind === 'sound'
        ? { ...track, clips: track.clips.map((clip) => ({ ...clip, length: 24, speed: rational(2) })) }
        : track,
    );
    await server.setTimeline(project.id, { ...timeline, tracks });
    const { id } = await server.export(project.id);
    const path = `${server.folder}/data/exports/${id}.mp4`;
    // The clip sounds at 330 Hz.
    expect(Math.abs(pitchOf(path, 0.1, 0.8) - 660)).toBeLessThan(6);
  });
});
