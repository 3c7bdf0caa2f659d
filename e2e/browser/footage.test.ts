import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import type { ExportRecord, Project, RunRecord, Source } from '@hone/core/api';
import { rational } from '@hone/core/time';
import type { Clip } from '@hone/core/timeline';
import { makeCodedClip } from '@hone/demo';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { TestBrowser } from '../fixtures/browser.js';
import { CUT_SIZE, makeCutProject, type CutProject } from '../fixtures/cut-project.js';
import { scratchPicture } from '../fixtures/scratched-clip.js';
import { cutTimeline, TestServer } from '../fixtures/server.js';

describe('footage and results of other kinds', () => {
  let server: TestServer;
  let browser: TestBrowser;
  let made: CutProject;

  beforeAll(async () => {
    server = await TestServer.start();
    made = await makeCutProject(server, 'Ways', [
      ['long24', rational(0), 48],
      ['pal25', rational(0), 48],
    ]);
    await server.settle(made.project.id);
    browser = await TestBrowser.open(server.url);
    await browser.waitForPicture();
  });

  afterAll(async () => {
    await browser.close();
    await server.stop();
  });

  const project = (): Promise<Project> => server.get(`projects/${made.project.id}`);

  it('show what lies below a transparent clip, as the export does', async () => {
    const path = join(server.footage, 'glass.mov');
    const left = 'color=c=0xff0000@0.5:s=320x360:r=24:d=2,format=rgba[l]';
    const right = 'color=c=0x00ff00@1:s=320x360:r=24:d=2,format=rgba[r]';
    execFileSync('ffmpeg', [
      '-v',
      'error',
      '-filter_complex',
      `${left};${right};[l][r]hstack,format=argb[v]`,
      '-map',
      '[v]',
      '-c:v',
      'qtrle',
      path,
    ]);
    const blue = join(server.footage, 'blue.mp4');
    const matrix = 'scale=out_color_matrix=bt709:out_range=tv,format=yuv420p';
    execFileSync('ffmpeg', [
      '-v',
      'error',
      '-f',
      'lavfi',
      '-i',
      'color=c=0x0000ff:s=640x360:r=24:d=2',
      '-vf',
      matrix,
      '-colorspace',
      'bt709',
      '-color_range',
      'tv',
      blue,
    ]);
    const sources = await server.addSources(made.project.id, [path, blue]);
    await server.settle(made.project.id);
    const idOf = (name: string): string => sources.find((source: Source) => source.name === name)!.id;
    const { timeline } = await project();
    const clip: Clip = {
      ...timeline.tracks[0]!.clips[0]!,
      id: 'below',
      sourceId: idOf('blue.mp4'),
      start: 0,
      length: 24,
      sourceIn: rational(0),
    };
    const half = [
      {
        id: 'm',
        kind: 'mask',
        enabled: true,
        values: { shape: 'rectangle', width: 400, height: 100, down: 0, feather: 0 },
      },
    ];
    const above = { ...clip, id: 'above', sourceId: idOf('glass.mov') };
    const track = { ...timeline.tracks[0]!, clips: [clip] };
    const tracks = [
      track,
      {
        ...track,
        id: 'p2',
        name: 'Above',
        clips: [above, { ...above, id: 'cut', start: 24, effects: half }],
      },
    ];
    await server.setTimeline(made.project.id, {
      ...timeline,
      tracks: [
        { ...track, clips: [clip, { ...clip, id: 'b2', start: 24 }] },
        tracks[1]!,
        ...timeline.tracks.slice(1),
      ],
    });
    await browser.reload();
    const colours = (y: number): Promise<number[][]> =>
      browser.page.evaluate((down) => {
        const viewer = document.querySelector<HTMLCanvasElement>('hone-viewer canvas')!;
        const copy = new OffscreenCanvas(viewer.width, viewer.height).getContext('2d')!;
        copy.drawImage(viewer, 0, 0);
        return [0.25, 0.75].map((across) => [
          ...copy.getImageData(viewer.width * across, viewer.height * down, 1, 1).data.slice(0, 3),
        ]);
      }, y);
    const isNear = (found: number[][], wanted: number[][]): boolean =>
      found.every((colour, at) =>
        colour.every((value, channel) => Math.abs(value - wanted[at]![channel]!) <= 6),
      );
    const over = [
      [127, 0, 127],
      [0, 255, 0],
    ];
    await expect.poll(async () => isNear(await colours(0.75), over)).toBe(true);
    // The mask keeps the upper half of it; below that, all is blue.
    await browser.goTo(30, 24);
    await expect
      .poll(async () =>
        isNear(await colours(0.75), [
          [0, 0, 255],
          [0, 0, 255],
        ]),
      )
      .toBe(true);
    expect(isNear(await colours(0.25), over)).toBe(true);

    // The same from a light copy, decoded by the browser.
    await server.makeCopies(made.project.id, [idOf('glass.mov')], 2);
    const { tuning } = await project();
    const withCopies = { ...tuning, lightCopies: true };
    await server.call('PUT', `projects/${made.project.id}/tuning`, withCopies);
    await browser.reload();
    await browser.goTo(2, 24);
    await expect.poll(async () => isNear(await colours(0.75), over)).toBe(true);
    await browser.page.keyboard.press('Space');
    await browser.page
      .getByTestId('plate')
      .getByText(/light copy/)
      .waitFor();
    await expect.poll(async () => isNear(await colours(0.25), over)).toBe(true);
    await browser.page.keyboard.press('Space');
    await server.call('PUT', `projects/${made.project.id}/tuning`, tuning);
    await server.setTimeline(made.project.id, timeline);
    await browser.reload();
  });

  it('play on behind a picture that is damaged', async () => {
    const path = join(server.footage, 'scratched.mp4');
    const encoder = ['-c:v', 'libx264', '-preset', 'fast', '-g', '12', '-bf', '0', '-movflags', '+faststart'];
    await makeCodedClip({ ...CUT_SIZE, rate: '24', frames: 96, source: 6, path, encoder });
    await scratchPicture(path, 38);
    const [source] = (await server.addSources(made.project.id, [path])).filter(
      ({ name }) => name === 'scratched.mp4',
    );
    await server.settle(made.project.id);
    const { timeline } = await project();
    const cut = [{ sourceId: source!.id, sourceIn: rational(0), frames: 96 }];
    await server.setTimeline(made.project.id, cutTimeline(rational(24), CUT_SIZE, cut));
    await browser.reload();
    await browser.goTo(72, 24);
    await browser.waitForCode({ source: 6, frame: 72 });
    await browser.page.keyboard.press('Home');
    await browser.playThrough();
    await browser.page.keyboard.press('End');
    await browser.waitForCode({ source: 6, frame: 95 });
    const [run] = await server.get<RunRecord[]>(`projects/${made.project.id}/runs`);
    // What is shown of it is more than the two groups before the damage.
    expect(run!.summary.shown).toBeGreaterThan(48);
    await server.setTimeline(made.project.id, timeline);
    await browser.reload();
  });

  it('show pictures of an export that the browser does not play, and name what waits', async () => {
    const { page } = browser;
    await page.getByRole('link', { name: 'Export' }).click();
    await page.getByTestId('codec').click();
    await page.getByRole('option', { name: /H.265/ }).click();
    await expect.poll(async () => (await project()).delivery.codec).toBe('h265');
    await page.getByTestId('export').click();
    await page
      .getByLabel('Export being made')
      .getByText(/H.265.*asked for at/)
      .waitFor();
    await server.settle(made.project.id);
    const [record] = await server.get<ExportRecord[]>(`projects/${made.project.id}/exports`);
    expect(record).toMatchObject({ state: 'ready', name: `Ways ${CUT_SIZE.width}×${CUT_SIZE.height} H.265` });
    await page.getByTestId('unplayable').waitFor();
    const strip = page.getByTestId('export-strip');
    await strip.waitFor();
    await expect
      .poll(() => strip.evaluate((image: HTMLImageElement) => image.naturalWidth))
      .toBeGreaterThan(1000);
    expect(await accessibilityFaults(page)).toEqual([]);
  });

  it('have met no error on the way', () => {
    // The browser itself reports the file that it cannot play.
    const told = browser.errors.filter((text) => !/404|409|ERR_/.test(text));
    expect(told).toEqual([]);
  });
});
