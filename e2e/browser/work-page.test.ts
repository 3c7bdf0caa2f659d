import type { Project } from '@hone/core/api';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { openCutProject, type OpenCutProject } from '../fixtures/open-cut-project.js';
import { rigOf } from '../fixtures/rigs.js';

/** Verdict, remedies and transport at 1280 × 800, with scroll bars that take room. */
describe('the page Work', () => {
  let opened: OpenCutProject;
  const page = () => opened.browser.page;

  beforeAll(async () => {
    opened = await openCutProject('One page', [
      ['long24', rational(1), 48],
      ['fast60', rational(1, 2), 48],
    ]);
    await opened.server.call('PUT', 'rigs/own', rigOf(50));
    await opened.browser.reload();
    await opened.browser.waitForPrediction();
    await page().locator('hone-recommendation-list button').first().waitFor();
  });

  afterAll(() => opened.close());

  /** Elements that are not wholly in the window. */
  const outside = (selectors: readonly string[]): Promise<string[]> =>
    page().evaluate(
      (all) =>
        all.filter((selector) => {
          const box = document.querySelector(selector)?.getBoundingClientRect();
          return (
            !box || box.height === 0 || box.top < 0 || box.bottom > innerHeight || box.right > innerWidth
          );
        }),
      selectors,
    );

  it('shows verdict, main finding, remedies and transport without scrolling', async () => {
    expect(
      await outside([
        '[data-testid="verdict"]',
        'hone-finding-list .finding .sentence',
        'hone-finding-list hone-stage-bars',
        'hone-recommendation-list button',
        // Other levers: what they would bring, or why they would not help.
        'hone-recommendation-list p',
        '[data-testid="play"]',
        '[data-testid="transport-scale"]',
        '[data-testid="volume"]',
        '[data-testid="timeline"]',
        '[data-testid="lanes"]',
      ]),
    ).toEqual([]);
    const alternatives = await page()
      .locator('hone-finding-list .finding')
      .first()
      .locator('hone-recommendation-list > *')
      .count();
    expect(alternatives).toBeGreaterThanOrEqual(2);
    expect(await accessibilityFaults(page())).toEqual([]);
  });

  it('has one verdict: measured once it was played, with before and after in view', async () => {
    await page().keyboard.press('Home');
    await opened.browser.playThrough();
    await page().getByTestId('verdict').getByText('Measured:').waitFor();
    expect(await page().getByTestId('verdict-card').textContent()).not.toContain('redicted:');
    expect(await outside(['[data-testid="verdict"]', '[data-testid="figures"] tr:nth-child(5)'])).toEqual([]);
    const names = await page().getByTestId('figures').locator('th[scope=row]').allTextContents();
    expect(names.slice(0, 2)).toEqual(['Frame rate shown', 'Dropped']);
    // With another lever the run is what was, and the prediction what will be.
    await opened.browser.choose('transport-scale', /^1:8/);
    await page().getByTestId('verdict').getByText('Predicted:').waitFor();
    expect(await page().getByTestId('figures').locator('th[scope=col]').allTextContents()).toEqual([
      '',
      'last run',
      'predicted',
    ]);
    await opened.browser.choose('transport-scale', /^1:4/);
    await page().getByTestId('verdict').getByText('Measured:').waitFor();
  });

  it('puts a frame at one x in tracks and lanes', async () => {
    const lines = (): Promise<number[]> =>
      page()
        .locator('hone-timeline-view .playhead')
        .evaluateAll((all) => all.map((line) => line.getBoundingClientRect().left));
    for (const key of ['Home', 'End']) {
      await page().keyboard.press(key);
      await expect.poll(async () => new Set(await lines()).size).toBe(1);
    }
    const [at] = await lines();
    await page().getByTestId('turn-lanes').click();
    await expect.poll(() => page().getByTestId('turn-lanes').getAttribute('aria-expanded')).toBe('true');
    await expect.poll(async () => new Set(await lines())).toEqual(new Set([at]));
    await page().getByTestId('turn-lanes').click();
  });

  it('shows the live frame rate, drops and load of the cores while it plays, and nothing at rest', async () => {
    const readout = (name: string) => page().getByTestId(`live-${name}`);
    expect(await readout('rate').textContent()).toBe('');
    await page().keyboard.press('Home');
    await page().getByTestId('play').click();
    await expect.poll(() => readout('rate').textContent()).toMatch(/^\d+\.\d of 24 frames\/s$/);
    expect(await readout('drops').textContent()).toMatch(/^\d+ dropped$/);
    await expect.poll(() => readout('load').textContent()).toMatch(/^cores [\d.]+ %$/);
    await opened.browser.playButton('Play').waitFor();
    await expect.poll(() => readout('rate').textContent()).toBe('');
  });

  it('mutes what is heard, which is no edit', async () => {
    const { browser, server, made } = opened;
    const kept = (): Promise<Project> => server.get(`projects/${made.project.id}`);
    const before = await kept();
    await page().getByTestId('mute').click();
    await page().keyboard.press('Home');
    await page().getByTestId('play').click();
    await browser.playButton('Stop').waitFor();
    await page().waitForTimeout(800);
    expect(await browser.loudestFrequency()).toBe(0);
    await page().keyboard.press('n');
    await expect.poll(() => browser.loudestFrequency(), { interval: 50 }).toBeGreaterThan(0);
    await browser.playButton('Play').waitFor();
    expect(await kept()).toEqual(before);
  });

  it('lets the space bar play after a choice by the pointer', async () => {
    await opened.browser.choose('transport-files', 'Originals');
    await page().keyboard.press('Home');
    await page().keyboard.press(' ');
    await opened.browser.playButton('Stop').waitFor();
    await page().keyboard.press(' ');
    await opened.browser.playButton('Play').waitFor();
    await opened.browser.choose('transport-files', /^Light copies/);
  });

  it('gives the diagnosis more room by keyboard or pointer, and keeps it', async () => {
    const width = async (): Promise<number> =>
      (await page().locator('hone-work-page aside').boundingBox())!.width;
    const before = await width();
    const splitter = page().getByRole('separator', { name: 'Width of the diagnosis column' });
    const frame = await page().getByTestId('timecode').textContent();
    await splitter.focus();
    await page().keyboard.press('ArrowLeft');
    await expect.poll(width).toBe(before + 16);
    expect(await page().getByTestId('timecode').textContent()).toBe(frame);
    await opened.browser.reload();
    expect(await width()).toBe(before + 16);
    const box = (await splitter.boundingBox())!;
    await page().mouse.move(box.x + 3, box.y + 200);
    await page().mouse.down();
    await page().mouse.move(box.x + 43, box.y + 200, { steps: 4 });
    await page().mouse.up();
    await expect.poll(width).toBe(before - 24);
  });

  it('has met no error on the way', () => expect(opened.browser.errors).toEqual([]));
});
