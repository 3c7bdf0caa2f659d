import type { Project, RunRecord } from '@hone/core/api';
import { SIMULATED_RIGS, type Rig } from '@hone/core/machine';
import { rational } from '@hone/core/time';
import type { Effect } from '@hone/core/timeline';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { TestBrowser } from '../fixtures/browser.js';
import { makeCutProject, type CutProject } from '../fixtures/cut-project.js';
import { frameSums } from '../fixtures/likeness.js';
import { TestServer } from '../fixtures/server.js';

/** Brightens the picture, so that it can be seen whether effects were done. */
const BRIGHT: Effect = { id: 'bright', kind: 'exposure', enabled: true, values: { stops: 1.5 } };
const BLUR: Effect = { id: 'soft', kind: 'blur', enabled: true, values: { radius: 1 } };

/** A machine of given figures, for which blurring alone is too much. */
function blurredRig(): Rig {
  const [base] = SIMULATED_RIGS;
  const kernels = base!.kernels.map((each) => {
    const { msPerMegapixel: figure } = each;
    const [low, value, high] = [figure.low, figure.value, figure.high].map((ms) => 1e4 * ms);
    return each.kernel === 'blur' ? { ...each, msPerMegapixel: { ...figure, low, value, high } } : each;
  });
  return { ...base!, kernels, id: 'own', name: 'This machine', simulated: false } as Rig;
}

/** Effects that are left out while it plays: offered, seen to be left out, and nowhere else. */
describe('effect bypass', () => {
  let server: TestServer;
  let browser: TestBrowser;
  let made: CutProject;
  const project = (): Promise<Project> => server.get(`projects/${made.project.id}`);
  const toggle = (name: string) =>
    browser.page.getByTestId('bypass').getByRole('button', { name: new RegExp(`^${name}, `) });
  const plate = (): Promise<string[]> => browser.page.getByTestId('left-out').allTextContents();

  const brightness = (): Promise<number> => browser.brightness();

  async function exported(): Promise<string> {
    const { id } = await server.export(made.project.id);
    return frameSums(`${server.folder}/data/exports/${id}.mp4`);
  }

  beforeAll(async () => {
    server = await TestServer.start();
    made = await makeCutProject(server, 'Bypass', [['long24', rational(1), 48]]);
    const tracks = made.timeline.tracks.map((track) =>
      track.kind === 'picture'
        ? { ...track, clips: track.clips.map((clip) => ({ ...clip, effects: [BRIGHT, BLUR] })) }
        : track,
    );
    await server.setTimeline(made.project.id, { ...made.timeline, tracks });
    await server.settle(made.project.id);
    browser = await TestBrowser.open(server.url);
    await browser.waitForPicture();
  });

  afterAll(async () => {
    await browser.close();
    await server.stop();
  });

  it('can be had before the machine is measured', async () => {
    const names = browser.page.getByTestId('bypass').getByRole('button');
    await expect.poll(() => names.allTextContents()).toEqual(['Colour', 'Blur']);
    expect(await browser.page.locator('hone-lever-board').textContent()).not.toContain('no effects');
    await server.call('PUT', 'rigs/own', blurredRig());
    await browser.reload();
    // Then the heaviest is first.
    await expect.poll(() => names.allTextContents()).toEqual(['Blur', 'Colour']);
  });

  it('is offered where effects hold playback back, with what it brings and takes, and then it should play', async () => {
    const { page } = browser;
    const finding = page.locator('hone-finding-list [data-finding="effects"]');
    await finding.waitFor();
    expect(await finding.textContent()).toContain('most of all blur');
    const header = finding.locator('mat-expansion-panel-header');
    if (await header.count()) await header.click();
    const button = page.getByTestId('bypass-until');
    await expect.poll(() => button.textContent()).toContain('Bypass blur: then it plays');
    const offer = finding.getByRole('button', { name: /^Bypass blur while playing/ });
    expect(await offer.textContent()).toMatch(/[\d.]+ → 24 frames\/s.*at rest they are seen/);
    await offer.click();
    await page.getByRole('heading', { name: 'Predicted to play' }).waitFor();
    expect((await project()).tuning.bypass).toEqual(['blur']);
    expect(await accessibilityFaults(page)).toEqual([]);
  });

  it('leaves effects out while it plays, says so, and shows them at rest', async () => {
    const { page } = browser;
    await page.keyboard.press('Home');
    const bright = await brightness();
    expect(await plate()).toEqual([]);
    await toggle('Colour').click();
    await expect.poll(async () => (await project()).tuning.bypass?.toSorted()).toEqual(['blur', 'colour']);
    await expect.poll(brightness).toBeGreaterThan(bright - 5);
    await page.getByTestId('play').click();
    await expect.poll(brightness, { interval: 60 }).toBeLessThan(bright - 15);
    expect(await plate()).toEqual([
      'Not in this preview: Exposure and Gaussian blur. They are in the export.',
    ]);
    await page.getByRole('button', { name: 'Play', exact: true }).waitFor();
    await expect.poll(brightness).toBeGreaterThan(bright - 5);
    await expect.poll(plate).toEqual([]);
    const [run] = await server.get<RunRecord[]>(`projects/${made.project.id}/runs`);
    expect(run!.summary.stageMs.effects).toBe(0);
    expect(run!.summary.shown).toBeGreaterThan(0);
    // The run says what it was played without, opened and in its row.
    await page.getByRole('link', { name: 'Runs', exact: true }).click();
    const without = page.getByText(/originals, without (blur and colour changes|colour changes and blur)/);
    await expect.poll(() => without.count()).toBe(2);
    await page.getByRole('link', { name: 'Work', exact: true }).click();
    await browser.waitForPicture();
  });

  it('can be of one clip, or of one of its effects', async () => {
    const { page } = browser;
    const sign = page.getByTestId('tracks-out');
    await page
      .getByTestId('bypass')
      .getByRole('button', { name: /^Colour/ })
      .click();
    await page.getByTestId('bypass').getByRole('button', { name: /^Blur/ }).click();
    await expect.poll(async () => (await project()).tuning.bypass).toBeUndefined();
    await page.keyboard.press('Home');
    await page.keyboard.press('Control+a');
    await page.getByTestId('effects').click();
    const bright = await brightness();
    const darkens = async (): Promise<void> => {
      await expect.poll(() => sign.textContent()).toContain('without effects of 1 clip');
      // At rest they are seen.
      await expect.poll(brightness).toBeGreaterThan(bright - 5);
      await page.keyboard.press('Home');
      await page.getByTestId('play').click();
      await expect.poll(brightness, { interval: 60 }).toBeLessThan(bright - 15);
      await page.getByRole('button', { name: 'Play', exact: true }).waitFor();
      await expect.poll(brightness).toBeGreaterThan(bright - 15);
    };
    await page.getByTestId('bypass-clip').getByRole('checkbox').check();
    await darkens();
    expect(await page.getByRole('button', { name: 'Bypass Exposure while playing' }).isDisabled()).toBe(true);
    await page.getByTestId('bypass-clip').getByRole('checkbox').uncheck();
    await sign.waitFor({ state: 'detached' });
    await page.getByRole('button', { name: 'Bypass Exposure while playing' }).click();
    await darkens();
    expect((await project()).tuning.bypassedEffects).toHaveLength(1);
    expect(await accessibilityFaults(page)).toEqual([]);
    await page.getByRole('button', { name: 'Bypass Exposure while playing' }).click();
    await expect.poll(async () => (await project()).tuning.bypassedEffects).toBeUndefined();
    await toggle('Colour').click();
    await toggle('Blur').click();
    await expect.poll(async () => (await project()).tuning.bypass?.length).toBe(2);
  });

  it('is of the picture at rest too where that is wanted, of all kinds at once and of a clip', async () => {
    const { page } = browser;
    const all = page.getByTestId('bypass-all').getByRole('button');
    const atRest = page.getByTestId('bypass-at-rest').getByRole('switch');
    await page.keyboard.press('Home');
    const bright = await brightness();
    expect(await all.getAttribute('aria-pressed')).toBe('true');
    await atRest.click();
    await expect.poll(brightness).toBeLessThan(bright - 15);
    await expect
      .poll(plate)
      .toEqual(['Not in this preview: Exposure and Gaussian blur. They are in the export.']);
    await all.click();
    await expect.poll(async () => (await project()).tuning.bypass).toBeUndefined();
    await expect.poll(brightness).toBeGreaterThan(bright - 10);
    await page.getByTestId('bypass-clip').getByRole('checkbox').check();
    await expect.poll(brightness).toBeLessThan(bright - 15);
    const sign = page.getByTestId('tracks-out');
    expect(await sign.textContent()).toBe(
      'Playing and at rest: without effects of 1 clip. All is in the export.',
    );
    await atRest.click();
    await expect.poll(brightness).toBeGreaterThan(bright - 10);
    await page.getByTestId('bypass-clip').getByRole('checkbox').uncheck();
    await all.click();
    await expect.poll(async () => (await project()).tuning.bypass?.length).toBe(2);
  });

  it('is undone, and never reaches the export', async () => {
    const { page } = browser;
    const bypassed = await exported();
    await toggle('Blur').click();
    await toggle('Colour').click();
    await expect.poll(async () => (await project()).tuning.bypass).toBeUndefined();
    expect(await exported()).toBe(bypassed);
    await page.keyboard.press('Home');
    await browser.playThrough();
    await expect
      .poll(async () => {
        const [run] = await server.get<RunRecord[]>(`projects/${made.project.id}/runs`);
        return run!.summary.stageMs.effects;
      })
      .toBeGreaterThan(0);
  });
});
