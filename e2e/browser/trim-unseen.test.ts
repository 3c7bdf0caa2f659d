import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { effectOf } from '../fixtures/effect-cases.js';
import { frameSums } from '../fixtures/likeness.js';
import { clipLine, openCutProject, type OpenCutProject } from '../fixtures/open-cut-project.js';

/** Clips under others are trimmed away as one edit, which leaves the export as it was. */
describe('trim what nobody sees', () => {
  let opened: OpenCutProject;
  const lines = async (): Promise<string[][]> =>
    (await opened.kept()).tracks.filter(({ kind }) => kind === 'picture').map(({ clips }) => clipLine(clips));
  const menu = async (): Promise<void> => {
    await opened.browser.page.getByTestId('edit-bar').getByRole('button', { name: 'Tracks' }).click();
    await opened.browser.page.getByRole('menuitem', { name: 'Trim what nobody sees …' }).click();
  };
  const exported = async (): Promise<string> => {
    const { id } = await opened.server.export(opened.made.project.id);
    return frameSums(`${opened.server.folder}/data/exports/${id}.mp4`);
  };
  const BEFORE = [['cut 0 0+60'], ['covering 20+20', 'clear 50+5']];
  const AFTER = [['cut 0 0+20', 'cut 0 40+20'], ['covering 20+20']];

  beforeAll(async () => {
    opened = await openCutProject('Unseen', [['long24', rational(1), 60]]);
    const { server, made, browser } = opened;
    const [pictures, ...others] = made.timeline.tracks;
    const [clip] = pictures!.clips;
    const above = (name: string, start: number, length: number) => ({
      ...{ ...clip!, id: name, name, start, length, sourceId: made.ids.pal25 },
    });
    const clear = { ...above('clear', 50, 5), effects: [effectOf('transform', [{ opacity: 0 }])] };
    const upper = { ...pictures!, id: 'p2', name: 'Upper', clips: [above('covering', 20, 20), clear] };
    await server.setTimeline(made.project.id, { ...made.timeline, tracks: [pictures!, upper, ...others] });
    await browser.reload();
    await browser.waitForPicture();
  });

  afterAll(() => opened.close());

  it('is listed first, and can be left', async () => {
    const { page } = opened.browser;
    await menu();
    const list = page.getByTestId('unseen-parts');
    await expect
      .poll(async () => (await list.getByRole('row').allInnerTexts()).map((row) => row.replaceAll('\t', ' ')))
      .toEqual([
        'Track Clip From To Frames',
        `${opened.made.timeline.tracks[0]!.name} cut 0 00:00:00:20 00:00:01:16 20`,
        'Upper clear 00:00:02:02 00:00:02:07 5',
      ]);
    expect(await accessibilityFaults(page)).toEqual([]);
    await page.getByRole('button', { name: 'Cancel' }).click();
    await list.waitFor({ state: 'detached' });
    expect(await lines()).toEqual(BEFORE);
  });

  it('is trimmed in one step, changes nothing of the export, and is undone', async () => {
    const { page } = opened.browser;
    const before = await exported();
    await menu();
    await page.getByRole('button', { name: 'Trim 2 parts' }).click();
    await expect.poll(lines).toEqual(AFTER);
    expect(await exported()).toBe(before);
    await menu();
    await page.getByRole('heading', { name: 'Nothing to trim' }).waitFor();
    await page.getByRole('button', { name: 'Close' }).click();
    await page.getByTestId('edit-bar').getByRole('button', { name: 'Undo' }).click();
    await expect.poll(lines).toEqual(BEFORE);
    expect(opened.browser.errors).toEqual([]);
  }, 120_000);
});
