import { execFileSync } from 'node:child_process';
import { mkdir } from 'node:fs/promises';
import { join } from 'node:path';
import type { LightCopy, FolderEntry, Project, Source } from '@hone/core/api';
import { readFrameHeader, FRAME_HEADER_BYTES } from '@hone/core/media';
import { DELIVERY_CODECS, type DeliveryCodec } from '@hone/core/render';
import { rational } from '@hone/core/time';
import type { Clip, Timeline } from '@hone/core/timeline';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { codesOf } from '../fixtures/clips.js';
import { expectedCodes, makeCutProject, type NamedCut } from '../fixtures/cut-project.js';
import { cutTimeline, TestServer } from '../fixtures/server.js';

const SIZE = { width: 320, height: 180 };

const ffmpeg = (...args: string[]): void =>
  void execFileSync('ffmpeg', ['-v', 'error', '-y', '-nostdin', ...args]);

/** The colour in the middle of a frame, RGB, as FFmpeg decodes it; of the pixels around it, so that no edge counts. */
function colourAt(path: string, seconds = 0.2, place = '16:16:152:82'): number[] {
  const filters = `crop=${place},scale=1:1:flags=area:in_color_matrix=bt709:in_range=tv,format=rgb24`;
  const output = ['-frames:v', '1', '-vf', filters, '-f', 'rawvideo', '-'];
  return [...execFileSync('ffmpeg', ['-v', 'error', '-ss', String(seconds), '-i', path, ...output])];
}

const near = (colour: readonly number[], wanted: readonly number[], within: number): void =>
  colour.forEach((value, channel) =>
    expect(Math.abs(value - wanted[channel]!), `channel ${channel}: ${colour.join()}`).toBeLessThanOrEqual(
      within,
    ),
  );

describe('what is shown and said', () => {
  let server: TestServer;

  beforeAll(async () => {
    server = await TestServer.start();
  });

  afterAll(() => server.stop());

  const project = async (name: string): Promise<Project> =>
    (await server.call<Project>('POST', 'projects', { name, size: SIZE, rate: rational(24) })).body;

  describe('exports in every format', () => {
    const CUTS: readonly NamedCut[] = [
      ['long24', rational(0), 37],
      ['fast60', rational(1, 3), 23],
      ['long24', rational(1), 41],
      ['pal25', rational(17, 25), 29],
      ['varying', rational(1, 2), 38],
    ];
    let made: Awaited<ReturnType<typeof makeCutProject>>;

    beforeAll(async () => {
      made = await makeCutProject(server, 'Formats', CUTS);
    });

    it.each(DELIVERY_CODECS)(
      'show the right frame everywhere, and are proved frame by frame: %s',
      async (codec: DeliveryCodec) => {
        const { revision, timeline, delivery } = await server.get<Project>(`projects/${made.project.id}`);
        const change = { revision, timeline, delivery: { ...delivery, codec, pace: 'quick' } };
        expect((await server.call('PUT', `projects/${made.project.id}`, change)).status).toBe(200);
        const record = await server.export(made.project.id);
        expect(record.state).toBe('ready');
        const { path } = await server.services.exports.get(record.id);
        expect(codesOf(path)).toEqual(expectedCodes(CUTS));
        // Neighbours differ by their codes and by a pattern that moves: one frame beside it, the likeness is far below this.
        const worst = Math.min(...record.proof!.frames.map(({ ssim }) => ssim));
        expect(worst).toBeGreaterThan(0.9);
        expect(record.proof!.frames.some(({ reason }) => reason !== 'spread')).toBe(true);
        expect(record.name).toMatch(/^Formats 640×360 /);
      },
    );
  });

  describe('transparency', () => {
    /** Half transparent red on the left, opaque green on the right; below it all is blue. */
    const RED = '0xff0000@0.5';
    let id: string;
    let blue: Source;

    const twoColours = (path: string, encoder: readonly string[], format: string): void => {
      const left = `color=c=${RED}:s=160x180:r=24:d=1,format=rgba[l]`;
      const right = 'color=c=0x00ff00@1:s=160x180:r=24:d=1,format=rgba[r]';
      const matrix = 'scale=out_color_matrix=bt709:out_range=tv';
      const graph = `${left};${right};[l][r]hstack,${/yuv/.test(format) ? `${matrix},` : ''}format=${format}[v]`;
      ffmpeg(
        '-filter_complex',
        graph,
        '-map',
        '[v]',
        '-colorspace',
        'bt709',
        '-color_range',
        /yuv/.test(format) ? 'tv' : 'pc',
        ...encoder,
        path,
      );
    };

    beforeAll(async () => {
      ({ id } = await project('Alpha'));
      const below = join(server.footage, 'blue.mp4');
      ffmpeg(
        '-f',
        'lavfi',
        '-i',
        'color=c=0x0000ff:s=320x180:r=24:d=1',
        '-vf',
        'scale=out_color_matrix=bt709:out_range=tv,format=yuv420p',
        '-colorspace',
        'bt709',
        '-color_range',
        'tv',
        below,
      );
      twoColours(join(server.footage, 'animation.mov'), ['-c:v', 'qtrle'], 'argb');
      twoColours(
        join(server.footage, 'prores.mov'),
        ['-c:v', 'prores_ks', '-profile:v', '4444'],
        'yuva444p10le',
      );
      twoColours(
        join(server.footage, 'vp9.webm'),
        ['-c:v', 'libvpx-vp9', '-crf', '10', '-b:v', '0', '-auto-alt-ref', '0'],
        'yuva420p',
      );
      twoColours(join(server.footage, 'ffv1.mkv'), ['-c:v', 'ffv1'], 'yuva444p');
      const premultiplied = 'format=gbrap,premultiply=inplace=1,format=argb';
      ffmpeg(
        '-i',
        join(server.footage, 'animation.mov'),
        '-vf',
        premultiplied,
        '-c:v',
        'qtrle',
        join(server.footage, 'over black.mov'),
      );
      const names = ['blue.mp4', 'animation.mov', 'prores.mov', 'vp9.webm', 'ffv1.mkv', 'over black.mov'];
      const sources = await server.addSources(
        id,
        names.map((name) => join(server.footage, name)),
      );
      blue = sources[0]!;
      for (const { name, facts } of sources.slice(1))
        expect([name, facts!.picture!.alpha]).toEqual([name, true]);
      const jobs = await server.settle(id);
      expect(jobs.filter(({ problem }) => problem)).toEqual([]);
    });

    const sourceOf = async (name: string): Promise<Source> =>
      (await server.get<Source[]>(`projects/${id}/sources`)).find((source) => source.name === name)!;

    const layered = (above: Source, more: Partial<Clip> = {}): Timeline => {
      const base = cutTimeline(rational(24), SIZE, [
        { sourceId: blue.id, sourceIn: rational(0), frames: 12 },
      ]);
      const clip: Clip = { ...base.tracks[0]!.clips[0]!, id: 'above', sourceId: above.id, ...more };
      const track = { id: 'p2', kind: 'picture' as const, name: 'Above', enabled: true, clips: [clip] };
      return { ...base, tracks: [base.tracks[0]!, track, ...base.tracks.slice(1)] };
    };

    const exported = async (timeline: Timeline): Promise<string> => {
      await server.setTimeline(id, timeline);
      const record = await server.export(id);
      expect(record.state).toBe('ready');
      expect(Math.min(...record.proof!.frames.map(({ ssim }) => ssim))).toBeGreaterThan(0.95);
      return (await server.services.exports.get(record.id)).path;
    };

    // Straight alpha over an opaque ground: a·above + (1 − a)·below (Porter, Duff, 1984).
    it.each(['animation.mov', 'prores.mov', 'vp9.webm', 'ffv1.mkv'])(
      'of %s lets through what is below, in the export',
      async (name) => {
        const path = await exported(layered(await sourceOf(name)));
        near(colourAt(path, 0.2, '64:64:40:60'), [127, 0, 127], 6);
        near(colourAt(path, 0.2, '64:64:220:60'), [0, 255, 0], 6);
      },
    );

    it('is multiplied by opacity and masks', async () => {
      const effects = [{ id: 'e', kind: 'transform', enabled: true, values: { opacity: 50 } }];
      const path = await exported(layered(await sourceOf('animation.mov'), { effects }));
      near(colourAt(path, 0.2, '64:64:40:60'), [64, 0, 191], 6);
      near(colourAt(path, 0.2, '64:64:220:60'), [0, 127, 127], 6);
    });

    it('that is premultiplied comes out the same, once that is said', async () => {
      const source = await sourceOf('over black.mov');
      const before = await exported(layered(source));
      // Taken for straight, the red is dark.
      near(colourAt(before, 0.2, '64:64:40:60'), [64, 0, 127], 8);
      const change = { sourceIds: [source.id], premultiplied: true };
      expect((await server.call('POST', `projects/${id}/sources/changes`, change)).status).toBe(200);
      near(colourAt(await exported(layered(source)), 0.2, '64:64:40:60'), [127, 0, 127], 8);
    });

    it('reaches the player as a plane behind each frame', async () => {
      const { id: sourceId } = await sourceOf('prores.mov');
      const reply = await fetch(`${server.url}/media/frames/${sourceId}?from=0&width=160&height=90`);
      const bytes = Buffer.from(await reply.arrayBuffer());
      const [pixels, chroma] = [160 * 90, 2 * 80 * 45];
      expect(readFrameHeader(bytes).bytes).toBe(2 * pixels + chroma);
      const alpha = bytes.subarray(
        FRAME_HEADER_BYTES + pixels + chroma,
        FRAME_HEADER_BYTES + 2 * pixels + chroma,
      );
      expect(Math.abs(alpha[45 * 160 + 40]! - 128)).toBeLessThanOrEqual(2);
      expect(alpha[45 * 160 + 120]).toBeGreaterThanOrEqual(253);
    });

    it('stands in light copies as grey below the colours', async () => {
      const names = ['animation.mov', 'prores.mov', 'vp9.webm', 'ffv1.mkv', 'over black.mov'];
      const ids = await Promise.all(names.map(async (name) => (await sourceOf(name)).id));
      const copies = await server.makeCopies(id, ids, 2);
      for (const [index, name] of names.entries()) {
        const copy = copies.find(({ sourceId }) => sourceId === ids[index])!;
        // 90 rows end within a block of 16.
        expect(copy, name).toMatchObject({ state: 'ready', width: 160, height: 90, alphaRow: 96 });
        expect(copy.format).toContain('with alpha');
        expect(copy.likeness!.ssim, name).toBeGreaterThan(0.97);
        const { path } = await server.services.copies.get(copy.id);
        near(colourAt(path, 0.2, '32:32:20:30'), [255, 0, 0], 6);
        near(colourAt(path, 0.2, '32:32:110:30'), [0, 255, 0], 6);
        near(colourAt(path, 0.2, '32:32:20:126'), [128, 128, 128], 3);
        near(colourAt(path, 0.2, '32:32:110:126'), [255, 255, 255], 3);
      }
    });

    it('taken in another way makes the light copy stale', async () => {
      const source = await sourceOf('over black.mov');
      const stateOf = async (): Promise<string | undefined> =>
        (await server.get<LightCopy[]>(`projects/${id}/copies`)).find(
          ({ sourceId }) => sourceId === source.id,
        )?.state;
      expect(await stateOf()).toBe('ready');
      const change = { sourceIds: [source.id], premultiplied: false };
      await server.call('POST', `projects/${id}/sources/changes`, change);
      expect(await stateOf()).toBe('stale');
    });
  });

  describe('light copies', () => {
    it('of RGB sources have the same colours, and say so', async () => {
      const { id } = await project('Colours');
      const path = join(server.footage, 'rgb.mkv');
      ffmpeg('-f', 'lavfi', '-i', 'color=c=0xfb0009:s=320x180:r=24:d=2,format=gbrp', '-c:v', 'ffv1', path);
      const [source] = await server.addSources(id, [path]);
      const [copy] = await server.makeCopies(id, [source!.id], 1);
      expect(copy!.state).toBe('ready');
      // 251, 0, 9: an encoder that is told the wrong matrix makes 255, 25, 0 of it.
      near(colourAt((await server.services.copies.get(copy!.id)).path), [251, 0, 9], 4);
      const shown = execFileSync(
        'ffprobe',
        [
          '-v',
          'error',
          '-show_entries',
          'stream=color_space,color_range',
          '-of',
          'csv=p=0',
          (await server.services.copies.get(copy!.id)).path,
        ],
        { encoding: 'utf8' },
      );
      expect(shown.trim()).toBe('tv,bt709');
    });

    it.each([
      [
        'vp9.webm',
        [
          '-c:v',
          'libvpx-vp9',
          '-crf',
          '8',
          '-b:v',
          '0',
          '-deadline',
          'realtime',
          '-cpu-used',
          '8',
          '-pix_fmt',
          'yuv420p',
        ],
      ],
      ['ffv1.mkv', ['-c:v', 'ffv1', '-pix_fmt', 'yuv420p']],
      [
        'odd ticks.mov',
        ['-c:v', 'libx264', '-crf', '10', '-video_track_timescale', '90000', '-pix_fmt', 'yuv420p'],
      ],
    ] as const)('are compared with %s frame by frame, whatever its ticks', async (name, encoder) => {
      const { id } = await project(`Likeness ${name}`);
      const path = join(server.footage, `likeness ${name}`);
      ffmpeg('-f', 'lavfi', '-i', 'testsrc2=s=320x180:r=30000/1001:d=4', ...encoder, path);
      const [source] = await server.addSources(id, [path]);
      const [copy] = await server.makeCopies(id, [source!.id], 1);
      const { likeness } = (
        await server.get<{ likeness: { psnrDb: number; ssim: number } }[]>(`projects/${id}/copies`)
      )[0]!;
      // ffmpeg's own comparison of the two files from beginning to end, frames paired by number.
      const file = (await server.services.copies.get(copy!.id)).path;
      const numbered = 'settb=1/1000,setpts=N';
      const told = execFileSync(
        'sh',
        [
          '-c',
          `ffmpeg -v info -i '${file}' -i '${path}' -lavfi '[0]${numbered}[a];[1]${numbered}[b];[a][b]psnr' -f null - 2>&1`,
        ],
        { encoding: 'utf8' },
      );
      const whole = Number(/average:([\d.]+)/.exec(told)![1]);
      expect(Math.abs(likeness.psnrDb - whole)).toBeLessThan(3);
      expect(likeness.ssim).toBeGreaterThan(0.95);
    });

    it('are compared with numbered stills', async () => {
      const { id } = await project('Likeness stills');
      const folder = join(server.footage, 'stills');
      await mkdir(folder);
      ffmpeg('-f', 'lavfi', '-i', 'testsrc2=s=320x180:r=24:d=2', join(folder, 'shot%04d.png'));
      const { children } = await server.get<FolderEntry>('folders');
      const root = await server.get<FolderEntry>(
        `folders/${children.find(({ label }) => label === server.footage)!.id}`,
      );
      const listed = await server.get<FolderEntry>(
        `folders/${root.children.find(({ label }) => label === 'stills')!.id}`,
      );
      await server.call('POST', `projects/${id}/sources`, { fileIds: [listed.files[0]!.id] });
      await server.settle(id);
      const [source] = await server.get<Source[]>(`projects/${id}/sources`);
      await server.makeCopies(id, [source!.id], 1);
      const [copy] = await server.get<{ likeness: { psnrDb: number } | null }[]>(`projects/${id}/copies`);
      expect(copy!.likeness!.psnrDb).toBeGreaterThan(35);
    });
  });

  it('gives a mono sound to both channels at unity', async () => {
    const { id } = await project('Mono');
    const path = join(server.footage, 'mono.wav');
    ffmpeg(
      '-f',
      'lavfi',
      '-i',
      'sine=f=1000:r=48000:d=2,aformat=channel_layouts=mono',
      '-c:a',
      'pcm_s16le',
      path,
    );
    const [source] = await server.addSources(id, [path]);
    await server.settle(id);
    const sound: Clip = {
      id: 's',
      name: 's',
      sourceId: source!.id,
      start: 0,
      length: 48,
      sourceIn: rational(0),
      enabled: true,
    };
    const empty = cutTimeline(rational(24), SIZE, []);
    await server.setTimeline(id, {
      ...empty,
      tracks: [empty.tracks[0]!, { ...empty.tracks[1]!, clips: [sound] }],
    });
    const { revision, timeline, delivery } = await server.get<Project>(`projects/${id}`);
    // A format without loss, so that the level is that of the mix.
    await server.call('PUT', `projects/${id}`, {
      revision,
      timeline,
      delivery: { ...delivery, codec: 'ffv1' },
    });
    const record = await server.export(id);
    const level = (file: string, channel: number): number => {
      const filters = `pan=mono|c0=c${channel},atrim=0.2:1.8,volumedetect`;
      const told = execFileSync(
        'sh',
        ['-c', `ffmpeg -v info -i '${file}' -map 0:a -af '${filters}' -f null - 2>&1`],
        { encoding: 'utf8' },
      );
      return Number(/mean_volume: (-?[\d.]+) dB/.exec(told)![1]);
    };
    const { path: made } = await server.services.exports.get(record.id);
    // A single channel goes to both sides unchanged (common practice, no source); equal power would be 3 dB less.
    for (const channel of [0, 1])
      expect(Math.abs(level(made, channel) - level(path, 0))).toBeLessThanOrEqual(0.2);
  });
});
