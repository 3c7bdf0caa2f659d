import { join } from 'node:path';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { openCutProject, type OpenCutProject } from '../fixtures/open-cut-project.js';
import { makeTwoTones, TWO_TONES } from '../fixtures/sound.js';

/** Sound as it is heard while it plays. */
describe('sound', () => {
  let opened: OpenCutProject;

  beforeAll(async () => {
    opened = await openCutProject('Sound', [['long24', rational(0), 96]]);
    const { server, made, browser, kept } = opened;
    const path = join(server.footage, 'two-tones.wav');
    makeTwoTones(path, [2, 2]);
    const added = await server.addSources(made.project.id, [path]);
    await server.settle(made.project.id);
    const tones = added.find(({ id }) => !Object.values(made.ids).includes(id))!;
    const timeline = await kept();
    const turned = { sourceId: tones.id, sourceIn: rational(95, 24), speed: rational(-1) };
    const tracks = timeline.tracks.map((track) =>
      track.kind === 'sound'
        ? { ...track, clips: track.clips.map((clip) => ({ ...clip, ...turned })) }
        : track,
    );
    await server.setTimeline(made.project.id, { ...timeline, tracks });
    await browser.reload();
  });

  afterAll(() => opened.close());

  it('of a clip that runs backwards is heard from its end to its beginning', async () => {
    const { browser } = opened;
    await browser.page.keyboard.press('Home');
    await browser.page.getByTestId('play').click();
    await browser.playButton('Stop').waitFor();
    const heard: number[] = [];
    while (await browser.playButton('Stop').count()) heard.push(await browser.loudestFrequency());
    const near = (tone: number): boolean[] => heard.map((each) => Math.abs(each - tone) < 0.1 * tone);
    const [first, last] = TWO_TONES.map(near) as [boolean[], boolean[]];
    expect(last.filter(Boolean).length).toBeGreaterThan(3);
    expect(first.filter(Boolean).length).toBeGreaterThan(3);
    expect(last.lastIndexOf(true)).toBeLessThan(first.indexOf(true));
    expect(browser.errors).toEqual([]);
  }, 120_000);

  it('of a clip that is retimed in the interface keeps its pitch, until it is to follow the speed', async () => {
    const { browser, server, made, kept } = opened;
    const tones = (await kept()).tracks.find(({ kind }) => kind === 'sound')!.clips[0]!.sourceId;
    // Two seconds of the lower tone.
    const tracks = made.timeline.tracks.map((track) => ({
      ...track,
      clips:
        track.kind === 'sound' ? track.clips.map((clip) => ({ ...clip, sourceId: tones, length: 48 })) : [],
    }));
    await server.setTimeline(made.project.id, { ...made.timeline, tracks });
    await browser.reload();
    const { page } = browser;
    await page.keyboard.press('Control+a');
    await page.getByTestId('speed').fill('50');
    await page.getByTestId('speed').press('Enter');
    const soundClip = async () => (await kept()).tracks.find(({ kind }) => kind === 'sound')!.clips[0]!;
    await expect.poll(soundClip).toMatchObject({ length: 96, keepsPitch: true });
    const median = async (): Promise<number> => {
      await page.getByTestId('timeline').focus();
      await page.keyboard.press('Home');
      await page.getByTestId('play').click();
      await browser.playButton('Stop').waitFor();
      const heard: number[] = [];
      while (await browser.playButton('Stop').count()) heard.push(await browser.loudestFrequency());
      const sorted = heard.filter((each) => each > 0).sort((a, b) => a - b);
      return sorted[sorted.length >> 1]!;
    };
    const [tone] = TWO_TONES;
    expect(Math.abs((await median()) - tone)).toBeLessThan(0.1 * tone);
    await page.getByTestId('edit-bar').getByRole('button', { name: 'Clip', exact: true }).click();
    await page.getByRole('menuitem', { name: 'Let pitch follow speed' }).click();
    await expect.poll(soundClip).toMatchObject({ keepsPitch: false });
    expect(Math.abs((await median()) - tone / 2)).toBeLessThan(0.1 * tone);
    expect(browser.errors).toEqual([]);
  }, 120_000);
});
