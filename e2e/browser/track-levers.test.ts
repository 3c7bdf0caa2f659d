import type { Project, RunRecord } from '@hone/core/api';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { expectedCodes, type NamedCut } from '../fixtures/cut-project.js';
import { openCutProject, type OpenCutProject } from '../fixtures/open-cut-project.js';

const FRAMES = 48;
const BELOW: NamedCut = ['long24', rational(1), FRAMES];
const ABOVE: NamedCut = ['pal25', rational(1), FRAMES];

/** Tracks that are left out while it plays, and are there at rest and in the export. */
describe('tracks while playing', () => {
  let opened: OpenCutProject;
  const rows = () => opened.browser.page.getByTestId('track-levers');
  const sign = () => opened.browser.page.getByTestId('tracks-out');
  const press = (name: string) => rows().getByRole('button', { name, exact: true }).click();
  const tuning = async () => (await opened.server.get<Project>(`projects/${opened.made.project.id}`)).tuning;
  const [below, above] = [expectedCodes([BELOW]), expectedCodes([ABOVE])];
  const LOWER = below[0]!.source;

  /** Plays the whole. @returns how often a picture of each source was seen; a black frame reads as source 0 */
  async function played(): Promise<Map<number, number>> {
    const { browser } = opened;
    await browser.page.keyboard.press('Home');
    await browser.waitForCode(above[0]!);
    await browser.page.getByTestId('play').click();
    await browser.playButton('Stop').waitFor();
    const seen = new Map<number, number>();
    while (await browser.playButton('Stop').count()) {
      const source = (await browser.shownCode())?.source ?? 0;
      seen.set(source, (seen.get(source) ?? 0) + 1);
    }
    return seen;
  }

  beforeAll(async () => {
    opened = await openCutProject('Tracks', [BELOW]);
    const { server, made, browser } = opened;
    const [pictures, ...others] = made.timeline.tracks;
    const [clip] = pictures!.clips;
    const covering = { ...clip!, id: 'above', name: 'above', sourceId: made.ids.pal25 };
    const tracks = [pictures!, { ...pictures!, id: 'p2', name: 'Upper', clips: [covering] }, ...others];
    await server.setTimeline(made.project.id, { ...made.timeline, tracks });
    await browser.reload();
    await browser.waitForCode(above[0]!);
  });

  afterAll(() => opened.close());

  it('show what is below a track whose picture is off, and all of it at rest', async () => {
    const { browser } = opened;
    await press('Upper: Picture off');
    await expect.poll(() => sign().textContent()).toBe('While playing: without Upper. All is in the export.');
    await expect.poll(async () => (await tuning()).tracksOff).toEqual(['p2']);
    const seen = await played();
    // The first and the last may be of the picture at rest.
    expect(seen.get(LOWER)).toBeGreaterThan(10);
    expect(seen.get(above[0]!.source) ?? 0).toBeLessThan(seen.get(LOWER)! / 2);
    // Played to its end, it is at rest.
    await browser.waitForCode(above.at(-1)!);
    await browser.goTo(20, 24);
    await browser.waitForCode(above[20]!);
    expect(await accessibilityFaults(browser.page)).toEqual([]);
  }, 120_000);

  it('are alone where one is solo', async () => {
    await press('Upper: Picture off');
    await sign().waitFor({ state: 'detached' });
    const lower = opened.made.timeline.tracks[0]!.name;
    await press(`${lower}: Solo`);
    await expect.poll(() => sign().textContent()).toContain('without Upper');
    expect((await played()).get(LOWER)).toBeGreaterThan(10);
    await press(`${lower}: Solo`);
    await sign().waitFor({ state: 'detached' });
  }, 120_000);

  it('are not heard where they are muted, and are afterwards', async () => {
    const { browser, made } = opened;
    const sound = made.timeline.tracks.find(({ kind, clips }) => kind === 'sound' && clips.length)!.name;
    const loudest = async (): Promise<number> => {
      await browser.page.keyboard.press('Home');
      await browser.page.getByTestId('play').click();
      await browser.playButton('Stop').waitFor();
      let most = 0;
      while (await browser.playButton('Stop').count())
        most = Math.max(most, await browser.loudestFrequency());
      return most;
    };
    await press(`${sound}: Mute`);
    await expect.poll(() => sign().textContent()).toContain(`${sound} muted`);
    expect(await loudest()).toBe(0);
    await press(`${sound}: Mute`);
    await sign().waitFor({ state: 'detached' });
    expect(await loudest()).toBeGreaterThan(100);
  }, 120_000);

  it('are not seen at all by "Listen only", which goes on to the end, and are seen at rest', async () => {
    const { browser } = opened;
    const { page } = browser;
    await page.getByTestId('listen-only').getByRole('switch').click();
    await expect.poll(() => sign().textContent()).toBe('While playing: no picture. All is in the export.');
    const seen = await played();
    expect(seen.get(0)).toBeGreaterThan(10);
    expect(seen.has(LOWER)).toBe(false);
    await browser.waitForCode(above.at(-1)!);
  }, 120_000);

  it('say nothing of a source that is played alone', async () => {
    const { browser } = opened;
    const { page } = browser;
    await page.getByRole('link', { name: 'Sources', exact: true }).click();
    await page.getByTestId('sources').getByRole('button', { name: 'pal25.mp4' }).click();
    await page.getByTestId('play-alone').click();
    await page.getByTestId('subject').waitFor();
    expect(await sign().count()).toBe(0);
    const first = { source: above[0]!.source, frame: 0 };
    await browser.waitForCode(first);
    await page.getByTestId('play').click();
    await expect.poll(() => browser.shownCode(), { interval: 50 }).toMatchObject({ source: first.source });
    await browser.playButton('Play').waitFor({ timeout: 60_000 });
    await expect.poll(async () => (await browser.shownCode())?.frame).toBeGreaterThan(24);
    const [run] = await opened.server.get<RunRecord[]>(`projects/${opened.made.project.id}/runs`);
    expect(run!.facts.subjectId).toBe(opened.made.ids.pal25);
    expect(run!.summary.stageMs.decode).toBeGreaterThan(0);
    await page.getByRole('button', { name: 'Back to the timeline' }).click();
    await sign().waitFor();
    await page.getByTestId('listen-only').getByRole('switch').click();
    await sign().waitFor({ state: 'detached' });
    expect(browser.errors).toEqual([]);
  }, 120_000);
});
