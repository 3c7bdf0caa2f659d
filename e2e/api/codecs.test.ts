import { execFileSync } from 'node:child_process';
import type { ExportRecord, Project } from '@hone/core/api';
import { CODEC_CHOICES, DELIVERY_CODECS, type DeliveryCodec } from '@hone/core/render';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { codesOf } from '../fixtures/clips.js';
import { expectedCodes, makeCutProject, type CutProject, type NamedCut } from '../fixtures/cut-project.js';
import { cutTimeline, TestServer } from '../fixtures/server.js';
import { makeUnusual } from '../fixtures/unusual-clips.js';

const CUTS: readonly NamedCut[] = [
  ['long24', rational(1), 14],
  ['fast60', rational(1, 2), 12],
  ['varying', rational(1, 4), 12],
];
/** What ffprobe calls codecs and containers. */
const PROBED: Readonly<Record<DeliveryCodec, readonly [picture: string, sound: string, format: string]>> = {
  h264: ['h264', 'aac', 'mp4'],
  h265: ['hevc', 'aac', 'mp4'],
  vp9: ['vp9', 'opus', 'webm'],
  av1: ['av1', 'opus', 'webm'],
  vc3: ['dnxhd', 'pcm_s16le', 'mov'],
  ffv1: ['ffv1', 'pcm_s16le', 'matroska'],
};

describe('exports for every purpose', () => {
  let server: TestServer;
  let made: CutProject;

  beforeAll(async () => {
    server = await TestServer.start();
    made = await makeCutProject(server, 'Codecs', CUTS);
  });

  afterAll(() => server.stop());

  async function exportAs(codec: DeliveryCodec): Promise<{ record: ExportRecord; path: string }> {
    const { timeline, delivery, revision } = await server.get<Project>(`projects/${made.project.id}`);
    const change = { timeline, revision, delivery: { ...delivery, codec, quality: 12 } };
    expect((await server.call('PUT', `projects/${made.project.id}`, change)).status).toBe(200);
    const record = await server.export(made.project.id);
    return { record, path: `${server.folder}/data/exports/${record.id}.${CODEC_CHOICES[codec].ending}` };
  }

  it.each(DELIVERY_CODECS)('are frame-exact as %s, with sound, in the right container', async (codec) => {
    const { record, path } = await exportAs(codec);
    expect(record.state).toBe('ready');
    expect(codesOf(path)).toEqual(expectedCodes(CUTS));
    const entries = 'format=format_name:stream=codec_name,codec_type,r_frame_rate,color_space';
    const { streams, format } = JSON.parse(
      String(execFileSync('ffprobe', ['-v', 'error', '-show_entries', entries, '-of', 'json', path])),
    ) as {
      streams: { codec_name: string; codec_type: string; r_frame_rate: string }[];
      format: { format_name: string };
    };
    const [picture, sound, container] = PROBED[codec];
    expect(streams.find(({ codec_type }) => codec_type === 'video')).toMatchObject({
      codec_name: picture,
      r_frame_rate: '24/1',
    });
    expect(streams.find(({ codec_type }) => codec_type === 'audio')!.codec_name).toBe(sound);
    expect(format.format_name.split(',')).toContain(container);
    // A lossless master differs from the original only by scaling, the others little more at this quality.
    for (const { frame, ssim } of record.proof!.frames) expect(ssim, `frame ${frame}`).toBeGreaterThan(0.95);
    const reply = await fetch(`${server.url}/media/exports/${record.id}?download`);
    expect(reply.headers.get('content-disposition')).toContain(`.${CODEC_CHOICES[codec].ending}`);
    await reply.body?.cancel();
  });

  it('deinterlace what is interlaced, and keep every frame in its place', async () => {
    const rate = rational(25);
    const size = { width: 640, height: 360 };
    const { body: project } = await server.call<Project>('POST', 'projects', { name: 'Fields', size, rate });
    const [source] = await server.addSources(project.id, [await makeUnusual('interlaced', server.footage)]);
    const cuts = [{ sourceId: source!.id, sourceIn: rational(1, 5), frames: 20 }];
    await server.setTimeline(project.id, cutTimeline(rate, size, cuts));
    const record = await server.export(project.id);
    expect(record.state).toBe('ready');
    expect(record.proof!.filters).toContain('bwdif');
    const path = (await server.services.exports.get(record.id)).path;
    expect(codesOf(path)).toEqual(
      Array.from({ length: 20 }, (_, frame) => ({ source: 5, frame: 5 + frame })),
    );
    expect(Math.min(...record.proof!.frames.map(({ ssim }) => ssim))).toBeGreaterThan(0.95);
  });
});
