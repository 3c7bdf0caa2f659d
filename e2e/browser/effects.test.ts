import { rename, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Project, Source } from '@hone/core/api';
import { rational } from '@hone/core/time';
import type { Clip, Effect } from '@hone/core/timeline';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { TestBrowser } from '../fixtures/browser.js';
import { makeCutProject, type CutProject } from '../fixtures/cut-project.js';
import { TestServer } from '../fixtures/server.js';

/** Effects by the panel of the page Work, each looked up in what the server keeps and in the picture that is shown. */
describe('effects', () => {
  let server: TestServer;
  let browser: TestBrowser;
  let made: CutProject;
  const clips = async (): Promise<readonly Clip[]> =>
    (await server.get<Project>(`projects/${made.project.id}`)).timeline.tracks[0]!.clips;
  const effects = async (index = 0): Promise<readonly Effect[]> => (await clips())[index]!.effects ?? [];
  const kinds = async (): Promise<string[]> => (await effects()).map(({ kind }) => kind);

  const brightness = (): Promise<number> => browser.brightness();

  async function press(frame: number): Promise<void> {
    const box = (await browser.page.getByTestId('timeline').boundingBox())!;
    await browser.page.mouse.click(box.x + 108 + (frame / 96) * (box.width - 116), box.y + 33);
  }
  async function add(name: string): Promise<void> {
    await browser.page.getByTestId('add-effect').click();
    await browser.page.getByRole('menuitem', { name, exact: true }).click();
  }
  async function set(testId: string, value: string): Promise<void> {
    const field = browser.page.getByTestId(testId);
    await field.fill(value);
    await field.press('Enter');
  }

  beforeAll(async () => {
    server = await TestServer.start();
    made = await makeCutProject(server, 'Effects', [
      ['long24', rational(1), 48],
      ['pal25', rational(1), 48],
    ]);
    await server.settle(made.project.id);
    browser = await TestBrowser.open(server.url);
    await browser.waitForPicture();
  });

  afterAll(async () => {
    await browser.close();
    await server.stop();
  });

  it('are added to the chosen clip, and seen at once', async () => {
    await browser.page.getByTestId('effects').click();
    await press(20);
    const before = await brightness();
    await add('Exposure');
    await set('exposure-stops', '1.5');
    await expect.poll(kinds).toEqual(['exposure']);
    await expect.poll(brightness).toBeGreaterThan(before + 15);
    expect(await accessibilityFaults(browser.page)).toEqual([]);
  });

  it('are turned off and on, ordered, taken away and brought back', async () => {
    await add('Vignette');
    await expect.poll(kinds).toEqual(['exposure', 'vignette']);
    await browser.page.getByRole('button', { name: 'Move Vignette up' }).click();
    await expect.poll(kinds).toEqual(['vignette', 'exposure']);
    const bright = await brightness();
    await browser.page.getByRole('checkbox', { name: 'Exposure is on' }).uncheck();
    await expect.poll(brightness).toBeLessThan(bright - 15);
    await browser.page.getByRole('button', { name: 'Remove Vignette' }).click();
    await expect.poll(kinds).toEqual(['exposure']);
    await browser.page.getByTestId('edit-bar').getByRole('button', { name: 'Undo' }).click();
    await expect.poll(kinds).toEqual(['vignette', 'exposure']);
  });

  it('stand in front of masks and the transform when they are added, and go anywhere', async () => {
    await add('Transform');
    await add('Sharpen');
    await expect.poll(kinds).toEqual(['vignette', 'exposure', 'sharpen', 'transform']);
    await browser.page.getByRole('button', { name: 'Move Sharpen down' }).click();
    await expect.poll(kinds).toEqual(['vignette', 'exposure', 'transform', 'sharpen']);
    await add('Temporal noise reduction');
    const rows = browser.page.locator('[data-testid^="effect-"] .title .name');
    await expect.poll(() => rows.allInnerTexts()).toHaveLength(5);
    expect((await rows.allInnerTexts())[0]).toContain('Temporal noise reduction');
    const first = browser.page.getByRole('button', { name: 'Move Temporal noise reduction down' });
    expect(await first.isDisabled()).toBe(true);
    expect(await first.getAttribute('title')).toContain('comes first');
    for (const name of ['Transform', 'Sharpen', 'Temporal noise reduction'])
      await browser.page.getByRole('button', { name: `Remove ${name}` }).click();
    await expect.poll(kinds).toEqual(['vignette', 'exposure']);
  });

  it('are copied to other clips', async () => {
    await browser.page.getByTestId('effect-panel').getByRole('button', { name: 'Copy all' }).click();
    await press(70);
    await browser.page.getByRole('button', { name: 'Paste 2 effects' }).click();
    await expect
      .poll(async () => (await effects(1)).map(({ kind }) => kind))
      .toEqual(['vignette', 'exposure']);
    expect((await effects(1))[0]!.id).not.toBe((await effects())[0]!.id);
  });

  it('change along the clip from keyframe to keyframe', async () => {
    await press(20);
    await add('Transform');
    await browser.goTo(0, 24);
    const key = browser.page.getByRole('button', { name: 'Keyframe of Opacity at the playhead' });
    await set('transform-opacity', '0');
    await key.click();
    await browser.goTo(40, 24);
    await set('transform-opacity', '100');
    const row = async (): Promise<unknown> => (await effects())[2]?.keyframes?.['opacity'];
    await expect.poll(row).toEqual([
      { frame: 0, value: 0, ease: 'linear' },
      { frame: 40, value: 100, ease: 'linear' },
    ]);
    const full = await brightness();
    await browser.goTo(20, 24);
    await expect.poll(brightness).toBeLessThan(full * 0.7);
    await browser.goTo(0, 24);
    await expect.poll(brightness).toBeLessThan(2);
    await browser.page.getByTestId('effect-transform').getByRole('button', { name: 'Remove' }).click();
  });

  it('take colour tables, and say by line what is wrong with one', async () => {
    await browser.page.getByTestId('effect-exposure').getByRole('button', { name: 'Remove' }).click();
    await add('3D LUT (.cube)');
    const wrong = join(server.footage, 'wrong.cube');
    await writeFile(wrong, 'LUT_3D_SIZE 2\n0 0 0\n1 0 zero\n');
    await browser.page.getByTestId('table-file').setInputFiles(wrong);
    await browser.page
      .getByText(/"wrong.cube" was not loaded. line 3: three numbers were expected/)
      .waitFor();
    const dark = join(server.footage, 'dark.cube');
    await writeFile(dark, 'TITLE "Night"\nLUT_1D_SIZE 2\n0 0 0\n0.3 0.3 0.3\n');
    const before = await brightness();
    await browser.page.getByTestId('table-file').setInputFiles(dark);
    await expect.poll(brightness).toBeLessThan(before * 0.6);
    await browser.page.getByText('Night (1D, 2 steps)').first().waitFor({ state: 'attached' });
  });

  it('play, and are measured as a stage of their own', async () => {
    await add('Gaussian blur');
    await browser.playThrough();
    const [run] = await server.get<{ id: string }[]>(`projects/${made.project.id}/runs`);
    const report = await server.get<{ frames: { effects: number; shownMs: number | null }[] }>(
      `runs/${run!.id}/report.json`,
    );
    const spent = report.frames.map(({ effects: ms }) => ms);
    // The second clip has a vignette and an exposure, the first a blur besides.
    const sum = (values: readonly number[]): number => values.reduce((total, each) => total + each, 0);
    expect(sum(spent.slice(0, 40))).toBeGreaterThan(sum(spent.slice(50, 90)));
    expect(sum(spent.slice(50, 90))).toBeGreaterThan(0);
  });

  it('that the preview leaves out are named under the picture', async () => {
    await browser.goTo(5, 24);
    await press(5);
    await add('Temporal noise reduction');
    const sign = browser.page.getByTestId('left-out');
    await sign.waitFor();
    expect(await sign.textContent()).toMatch(/Temporal noise reduction.*in the export/);
    await browser.page.getByTestId('effect-denoise').getByRole('button', { name: 'Remove' }).click();
    await sign.waitFor({ state: 'detached' });
  });

  it('fill the frame with a picture of another shape, or leave borders', async () => {
    await browser.choose('framing', /^Fill/);
    await expect.poll(async () => (await clips())[0]!.framing).toBe('fill');
  });

  it('of transitions are composed while it plays', async () => {
    const { tracks, ...rest } = made.timeline;
    const transitions = [{ id: 't', kind: 'crossfade' as const, at: 48, before: 20, after: 20 }];
    await server.setTimeline(made.project.id, {
      ...rest,
      tracks: [{ ...tracks[0]!, transitions }, ...tracks.slice(1)],
    });
    await browser.page.reload();
    await browser.waitForPicture();
    await browser.playThrough();
    const [run] = await server.get<{ id: string }[]>(`projects/${made.project.id}/runs`);
    const { frames } = await server.get<{ frames: { compose: number; decoded: number }[] }>(
      `runs/${run!.id}/report.json`,
    );
    const mean = (values: readonly number[]): number =>
      values.reduce((total, each) => total + each, 0) / values.length;
    const composed = frames.map(({ compose }) => compose);
    expect(mean(composed.slice(30, 66))).toBeGreaterThan(mean(composed.slice(0, 26)) + 0.05);
  });

  it('are not asked of a source that is gone: a slate names it', async () => {
    const { pal25 } = made.paths;
    // Within its folder it would be followed to its new name.
    const away = join(server.footage, '..', 'pal25.away');
    await rename(pal25, away);
    const state = async (): Promise<string | undefined> =>
      (await server.get<Source[]>(`projects/${made.project.id}/sources`)).find(
        ({ id }) => id === made.ids.pal25,
      )?.state;
    await expect.poll(state).toBe('missing');
    await browser.goTo(80, 24);
    /** How far the viewer's pixels are from grey, and how bright they are. */
    const grey = (): Promise<[colour: number, light: number]> =>
      browser.page.evaluate(() => {
        const viewer = document.querySelector<HTMLCanvasElement>('hone-viewer canvas')!;
        const copy = new OffscreenCanvas(viewer.width, viewer.height).getContext('2d')!;
        copy.drawImage(viewer, 0, 0);
        const { data } = copy.getImageData(0, 0, viewer.width, viewer.height);
        let [colour, light] = [0, 0];
        for (let at = 0; at < data.length; at += 4) {
          colour += Math.abs(data[at]! - data[at + 2]!);
          light += data[at + 1]!;
        }
        return [(4 * colour) / data.length, (4 * light) / data.length];
      });
    await expect.poll(async () => (await grey())[0]).toBeLessThan(1);
    const [, light] = await grey();
    expect(light).toBeGreaterThan(55);
    expect(light).toBeLessThan(120);
    await rename(away, pal25);
    await expect.poll(state).toBe('ready');
  });
});
