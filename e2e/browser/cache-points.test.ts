import type { CachedStretchRecord, Project } from '@hone/core/api';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { effectOf } from '../fixtures/effect-cases.js';
import { psnr } from '../fixtures/likeness.js';
import { openCutProject, type OpenCutProject } from '../fixtures/open-cut-project.js';
import { picturesWhilePlaying } from '../fixtures/pictures-while-playing.js';

const FRAMES = 72;

/** Two layers, of which parts are rendered in advance while the rest is made live. */
describe('cache points', () => {
  let opened: OpenCutProject;
  const board = () => opened.browser.page.locator('hone-render-cache-board');
  const length = () => board().getByTestId('cached-length').textContent();
  const cached = (): Promise<CachedStretchRecord[]> => opened.server.get('cached-stretches');
  const select = async (name: string): Promise<void> => {
    await board().getByTestId('cache-point').click();
    await opened.browser.page.getByRole('option', { name, exact: true }).click();
  };
  const set = async (testId: string, value: string): Promise<void> => {
    await opened.browser.page.getByTestId(testId).fill(value);
    await opened.browser.page.keyboard.press('Enter');
  };
  /**
   * Pictures while it plays, with a part from the cache and with none, at the same frames. A busy machine shows and catches
   * few of them, so it plays again until there are enough.
   */
  async function expectAlike(): Promise<void> {
    const { browser } = opened;
    const switch_ = board().getByRole('switch', { name: 'Play from the render cache' });
    const [parts, live] = [new Map<string, readonly number[]>(), new Map<string, readonly number[]>()];
    const both = (): string[] => [...parts.keys()].filter((code) => live.has(code));
    for (let plays = 0; plays < 4 && both().length <= 0.5 * FRAMES; plays++) {
      for (const [code, picture] of await picturesWhilePlaying(browser, 320)) parts.set(code, picture);
      await switch_.click();
      await expect.poll(length).toBe(`0 of ${FRAMES} frames`);
      for (const [code, picture] of await picturesWhilePlaying(browser, 320)) live.set(code, picture);
      await switch_.click();
      await expect.poll(length).toContain('more in part');
    }
    expect(both().length).toBeGreaterThan(0.5 * FRAMES);
    for (const code of both())
      expect(psnr(parts.get(code)!, live.get(code)!), `frame ${code}`).toBeGreaterThan(40);
  }

  beforeAll(async () => {
    opened = await openCutProject('Parts', [['long24', rational(1), FRAMES]]);
    const { server, made, browser } = opened;
    const [pictures, ...others] = made.timeline.tracks;
    const [clip] = pictures!.clips;
    const below = {
      ...clip!,
      effects: [effectOf('blur', [{ radius: 0.3 }]), effectOf('exposure', [{ stops: 0.4 }])],
    };
    const above = {
      ...{ ...clip!, id: 'above', name: 'inset', sourceId: made.ids.pal25, sourceIn: rational(1) },
      // Aside from the code that the picture below carries.
      effects: [
        effectOf('vignette', [{ stops: 2 }]),
        effectOf('transform', [{ scale: 30, across: 25, down: 30 }]),
      ],
    };
    const tracks = [{ ...pictures!, clips: [below] }, { ...pictures!, id: 'p2', clips: [above] }, ...others];
    await server.setTimeline(made.project.id, { ...made.timeline, tracks });
    const { tuning } = await server.get<Project>(`projects/${made.project.id}`);
    await server.call('PUT', `projects/${made.project.id}/tuning`, { ...tuning, playScale: 2, restScale: 1 });
    await browser.reload();
    await browser.waitForPicture();
  });

  afterAll(() => opened.close());

  it('are listed for the picture at the playhead, the whole picture first', async () => {
    await board().getByTestId('cache-point').click();
    const names = await opened.browser.page.getByRole('option').allInnerTexts();
    expect(names).toEqual([
      'Whole picture',
      'All below “inset”',
      '“cut 0” up to Exposure',
      '“cut 0” up to Gaussian blur',
      '“cut 0” without effects',
      '“inset” up to Vignette',
      '“inset” without effects',
    ]);
    await opened.browser.page.keyboard.press('Escape');
    expect(await board().getByTestId('cache-point').textContent()).toContain('Whole picture');
    expect(await accessibilityFaults(opened.browser.page)).toEqual([]);
  });

  it('leave the effect that was changed last live, and make the same pictures', async () => {
    const { page } = opened.browser;
    await page.getByTestId('effects').click();
    const timeline = (await page.getByTestId('timeline').boundingBox())!;
    // The lower picture track is the second row.
    await page.mouse.click(timeline.x + 300, timeline.y + 75);
    await set('exposure-stops', '0.6');
    await expect
      .poll(() => board().getByTestId('cache-point').textContent())
      .toContain('“cut 0” up to Gaussian blur');
    await expect.poll(() => board().textContent()).toContain('Exposure of “cut 0” was changed last');
    await board().getByRole('button', { name: 'Render at playhead' }).click();
    await expect.poll(length, { timeout: 60_000 }).toBe(`0 of ${FRAMES} frames, ${FRAMES} more in part`);
    await expectAlike();
  }, 240_000);

  it('stay valid while that effect and the layer above are changed', async () => {
    await set('exposure-stops', '-0.5');
    await expect.poll(length).toBe(`0 of ${FRAMES} frames, ${FRAMES} more in part`);
    await expectAlike();
  }, 240_000);

  it('can be selected: all below a clip, and the inset before it is placed', async () => {
    await select('All below “inset”');
    await board().getByRole('button', { name: 'Render at playhead' }).click();
    await expect.poll(async () => (await cached()).length, { timeout: 60_000 }).toBe(2);
    await select('“inset” up to Vignette');
    await board().getByRole('button', { name: 'Render at playhead' }).click();
    await expect.poll(async () => (await cached()).length, { timeout: 60_000 }).toBe(3);
    await expectAlike();
    const { page } = opened.browser;
    await page.getByTestId('plate').filter({ hasText: 'original' }).waitFor();
    const kept = await board().getByTestId('cached-stretches').innerText();
    expect(kept).toMatch(/All below “inset”[\s\S]*“inset” up to Vignette/);
    await board().getByTestId('clear-cache').click();
    await page.getByRole('menuitem', { name: /^All · frees [\d.]+ MB|^All · frees [\d.]+ kB/ }).click();
    await expect.poll(async () => (await cached()).length).toBe(0);
    await expect.poll(length).toBe(`0 of ${FRAMES} frames`);
    expect(opened.browser.errors).toEqual([]);
  }, 300_000);
});
