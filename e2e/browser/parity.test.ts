import { execFileSync } from 'node:child_process';
import { mkdtemp, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Project } from '@hone/core/api';
import { exportCommand, exportGraph, type EffectKind } from '@hone/core/render';
import { COMPOSE_PROCESSORS } from '@hone/core/levers';
import { rational } from '@hone/core/time';
import { TRANSITION_KINDS, type Effect, type Track } from '@hone/core/timeline';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { effectAssets } from '@hone/server';
import { TestBrowser } from '../fixtures/browser.js';
import { EFFECT_SETTINGS, effectOf, TITLE_SETTINGS, type EffectSetting } from '../fixtures/effect-cases.js';
import { CUT_SIZE, makeCutProject, type CutProject } from '../fixtures/cut-project.js';
import { psnr, ssim } from '../fixtures/likeness.js';
import { TestServer } from '../fixtures/server.js';

const WARM_CUBE = [
  'LUT_3D_SIZE 2',
  '0 0 0',
  '1 0 0',
  '0 0.8 0',
  '1 0.9 0',
  '0 0 0.7',
  '1 0 0.8',
  '0 1 1',
  '1 1 0.9',
].join('\n');

const isLike = (wanted: Buffer) => (picture: number[]) => psnr(picture, wanted) > 40;
const isAlike = (wanted: Buffer) => (picture: number[]) => ssim(picture, wanted, CUT_SIZE) > 0.98;

/** What the player shows at 1:1 against what the export's own graph gives, before any encoder touches it. */
describe.each(COMPOSE_PROCESSORS)('the preview, composed on the %s, and the export', (composeOn) => {
  let server: TestServer;
  let browser: TestBrowser;
  let made: CutProject;

  beforeAll(async () => {
    server = await TestServer.start();
    made = await makeCutProject(server, 'Parity', [
      ['long24', rational(1), 24],
      ['fast60', rational(1, 2), 24],
    ]);
    const { tuning } = await server.get<Project>(`projects/${made.project.id}`);
    await server.call('PUT', `projects/${made.project.id}/tuning`, {
      ...tuning,
      ...{ restScale: 1, playScale: 1, composeOn },
    });
    await server.settle(made.project.id);
    browser = await TestBrowser.open(server.url);
    await browser.waitForPicture();
  });

  afterEach(async () => {
    const isOnGraphics = /composed on the graphics processor/.test(
      (await browser.page.getByTestId('plate').textContent())!,
    );
    expect(isOnGraphics).toBe(composeOn === 'graphics processor');
  });

  afterAll(async () => {
    await browser.close();
    await server.stop();
  });

  /** Changes the picture track, and opens the page anew. */
  async function useTrack(change: (track: Track) => Partial<Track>): Promise<Project> {
    const tracks = made.timeline.tracks.map((track) =>
      track.kind === 'picture' ? { ...track, ...change(track) } : track,
    );
    const project = await server.setTimeline(made.project.id, { ...made.timeline, tracks });
    await browser.page.reload();
    await browser.waitForPicture();
    return project;
  }

  /** Clips of eight frames in a row, each with effects of its own. */
  const withEffects = (rows: readonly (readonly Effect[])[]) => (track: Track) => {
    const clip = track.clips[0]!;
    const clips = rows.map((effects, index) => ({
      ...clip,
      id: `e${index}`,
      start: 8 * index,
      length: 8,
      effects,
    }));
    return { clips };
  };

  /** Pixels of a frame at rest, as soon as they are the right ones; a slow machine shows those before for a while. */
  async function shownAt(frame: number, isRight: (picture: number[]) => boolean): Promise<number[]> {
    await browser.goTo(frame, 24);
    const end = Date.now() + 6000;
    for (;;) {
      await browser.page.waitForTimeout(700);
      const picture = await browser.picture();
      if (isRight(picture) || Date.now() > end) return picture;
    }
  }

  /** Frames of the export's graph as RGB, by the matrix that the player uses. */
  async function exported({ timeline, delivery }: Project): Promise<Buffer[]> {
    const rows = await server.services.sources.list(made.project.id);
    const factsOf = (id: string) => rows.find((row) => row.id === id)?.facts ?? undefined;
    const inputOf = (id: string) => ['-i', rows.find((row) => row.id === id)!.path];
    const graph = exportGraph(timeline, delivery, factsOf);
    const folder = await mkdtemp(join(tmpdir(), 'hone-parity-'));
    const assets = {
      ...(await effectAssets(graph.graph, server.services.tables, folder)),
      inputOf,
      factsOf,
    };
    const { filters, args, drawings } = exportCommand(graph, assets, Infinity);
    for (const [number, svg] of drawings.entries()) await writeFile(assets.drawingFile(number), svg);
    const inputs = args.slice(0, args.indexOf('-filter_complex'));
    const rgb = `${filters};[picture]scale=in_color_matrix=bt709:in_range=tv:out_range=pc:flags=neighbor,format=rgb24[rgb];[sound]anullsink`;
    const options = { maxBuffer: 2 ** 30 };
    const bytes = execFileSync(
      'ffmpeg',
      ['-v', 'error', ...inputs, '-filter_complex', rgb, '-map', '[rgb]', '-f', 'rawvideo', '-'],
      options,
    );
    const frameBytes = 3 * CUT_SIZE.width * CUT_SIZE.height;
    return Array.from({ length: bytes.length / frameBytes }, (_, at) =>
      bytes.subarray(at * frameBytes, (at + 1) * frameBytes),
    );
  }

  it.each(TRANSITION_KINDS)('agree in every part of a %s', async (kind) => {
    const transitions = [{ id: 't', kind, at: 24, before: 8, after: 8, colour: '#2a6f4e' }];
    const frames = await exported(await useTrack(() => ({ transitions })));
    expect(frames).toHaveLength(48);
    for (const frame of [15, 16, 23, 24, 31, 32]) {
      const likeness = psnr(await shownAt(frame, isLike(frames[frame]!)), frames[frame]!);
      expect(likeness, `frame ${frame}`).toBeGreaterThan(40);
      // Frames beside it differ: the test would see a transition that runs too early or too late.
      if (frame > 16 && frame < 31) expect(psnr(frames[frame]!, frames[frame + 1]!)).toBeLessThan(likeness);
    }
  });

  it('agree on titles', async () => {
    const rows = TITLE_SETTINGS.map((setting) => [effectOf('title', setting)]);
    const frames = await exported(await useTrack(withEffects(rows)));
    const plain = await exported(await useTrack(withEffects(rows.map(() => []))));
    await useTrack(withEffects(rows));
    for (const [index] of rows.entries()) {
      const frame = 8 * index + 1;
      const picture = await shownAt(frame, isAlike(frames[frame]!));
      const likeness = ssim(picture, frames[frame]!, CUT_SIZE);
      expect(likeness, `title ${index}`).toBeGreaterThan(0.98);
      expect(ssim(picture, plain[frame]!, CUT_SIZE), `title ${index} is seen`).toBeLessThan(likeness);
    }
  });

  it('agree on a title that stays while its picture is cut, turned and moved', async () => {
    const title = effectOf('title', TITLE_SETTINGS[3]!);
    const mask = effectOf('mask', [{ feather: 10, width: 50, height: 60 }]);
    const turned = effectOf('transform', [{ rotation: 30, scale: 70, down: -10 }]);
    const moving = effectOf('transform', EFFECT_SETTINGS.transform[4]);
    const orders = [
      [mask, title],
      [turned, title],
      [moving, title],
      [mask, turned, title, effectOf('blur', [{ radius: 0.6 }])],
    ];
    const inside = orders.map((effects) => [title, ...effects.filter((each) => each !== title)]);
    const insideFrames = await exported(await useTrack(withEffects(inside)));
    const frames = await exported(await useTrack(withEffects(orders)));
    for (const [index] of orders.entries()) {
      const frame = 8 * index + 1;
      const likeness = ssim(await shownAt(frame, isAlike(frames[frame]!)), frames[frame]!, CUT_SIZE);
      expect(likeness, `order ${index}`).toBeGreaterThan(0.98);
      expect(ssim(frames[frame]!, insideFrames[frame]!, CUT_SIZE), 'the order matters').toBeLessThan(
        likeness,
      );
    }
  });

  it('agree on what else is done to a picture, played by the real player from a real file', async () => {
    const table = await server.services.tables.keep(WARM_CUBE);
    expect(table).toMatchObject({ kind: '3D', size: 2 });
    const kinds = Object.entries(EFFECT_SETTINGS) as [EffectKind, readonly EffectSetting[]][];
    const rows = [
      kinds.map(([kind, settings]) => effectOf(kind, settings[1]!)).filter(({ kind }) => kind !== 'table'),
      [
        effectOf('table', [{ table: table.id, strength: 80 }]),
        effectOf('transform', EFFECT_SETTINGS.transform[4]),
      ],
    ];
    const frames = await exported(await useTrack(withEffects(rows)));
    for (const frame of [0, 5, 8, 9]) {
      const picture = await shownAt(frame, isLike(frames[frame]!));
      expect(psnr(picture, frames[frame]!), `frame ${frame}`).toBeGreaterThan(40);
    }
  });
});
