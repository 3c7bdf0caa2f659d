import { execFileSync } from 'node:child_process';
import type { Project } from '@hone/core/api';
import { exportCommand, exportGraph } from '@hone/core/render';
import { rational } from '@hone/core/time';
import { TRANSITION_KINDS, type TransitionKind } from '@hone/core/timeline';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { TestBrowser } from '../fixtures/browser.js';
import { CUT_SIZE, makeCutProject, type CutProject } from '../fixtures/cut-project.js';
import { TestServer } from '../fixtures/server.js';

/** What the player shows at 1:1 against what the export's own graph gives, before any encoder touches it. */
describe('the preview and the export', () => {
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
    await server.call('PUT', `projects/${made.project.id}/tuning`, { ...tuning, restScale: 1, playScale: 1 });
    await server.settle(made.project.id);
    browser = await TestBrowser.open(server.url);
    await browser.waitForPicture();
  });

  afterAll(async () => {
    await browser.close();
    await server.stop();
  });

  async function useTransition(kind: TransitionKind): Promise<Project> {
    const { timeline } = await server.get<Project>(`projects/${made.project.id}`);
    const tracks = timeline.tracks.map((track) =>
      track.kind === 'picture'
        ? { ...track, transitions: [{ id: 't', kind, at: 24, before: 8, after: 8, colour: '#2a6f4e' }] }
        : track,
    );
    return server.setTimeline(made.project.id, { ...timeline, tracks });
  }

  /** Frames of the export's graph as RGB, by the matrix that the player uses. */
  async function exported({ timeline, delivery }: Project): Promise<Buffer[]> {
    const rows = await server.services.sources.list(made.project.id);
    const factsOf = (id: string) => rows.find((row) => row.id === id)?.facts ?? undefined;
    const inputOf = (id: string) => ['-i', rows.find((row) => row.id === id)!.path];
    const graph = exportGraph(timeline, delivery, factsOf);
    const { filters, args } = exportCommand(graph, inputOf, factsOf);
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

  /** Pixels of the viewer, RGB. */
  const shown = async (): Promise<number[]> => {
    const text = await browser.page.evaluate(() => {
      const viewer = document.querySelector<HTMLCanvasElement>('hone-viewer canvas')!;
      const copy = document.createElement('canvas');
      copy.width = viewer.width;
      copy.height = viewer.height;
      const context = copy.getContext('2d')!;
      context.drawImage(viewer, 0, 0);
      const { data } = context.getImageData(0, 0, copy.width, copy.height);
      let bytes = '';
      for (let at = 0; at < data.length; at += 4)
        bytes += String.fromCharCode(data[at]!, data[at + 1]!, data[at + 2]!);
      return btoa(bytes);
    });
    return [...Buffer.from(text, 'base64')];
  };

  /** Peak signal-to-noise ratio of 8-bit samples: a mean squared error of 1 is 48.13 dB. */
  function psnr(a: ArrayLike<number>, b: ArrayLike<number>): number {
    expect(a.length).toBe(b.length);
    let sum = 0;
    for (let at = 0; at < a.length; at++) sum += (a[at]! - b[at]!) ** 2;
    return 10 * Math.log10(255 ** 2 / Math.max(1e-9, sum / a.length));
  }

  it.each(TRANSITION_KINDS)('agree in every part of a %s', async (kind) => {
    const project = await useTransition(kind);
    await browser.page.reload();
    await browser.waitForPicture();
    const frames = await exported(project);
    expect(frames).toHaveLength(48);
    for (const frame of [15, 16, 19, 23, 24, 28, 31, 32]) {
      await browser.goTo(frame, 24);
      await browser.page.waitForTimeout(700);
      const likeness = psnr(await shown(), frames[frame]!);
      expect(likeness, `frame ${frame}`).toBeGreaterThan(40);
      // Frames beside it differ: the test would see a transition that runs too early or too late.
      if (frame > 16 && frame < 31) expect(psnr(frames[frame]!, frames[frame + 1]!)).toBeLessThan(likeness);
    }
  });
});
