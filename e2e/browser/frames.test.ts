import type { Project } from '@hone/core/api';
import { rational } from '@hone/core/time';
import type { FrameCode } from '@hone/demo';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { TestBrowser } from '../fixtures/browser.js';
import {
  CUT_SIZE,
  expectedCodes,
  makeCutProject,
  type CutProject,
  type NamedCut,
} from '../fixtures/cut-project.js';
import { seenWhilePlaying } from '../fixtures/seen-while-playing.js';
import { TestServer } from '../fixtures/server.js';

const CUTS: readonly NamedCut[] = [
  ['long24', rational(7, 24), 20],
  ['fast60', rational(1, 3), 24],
  ['varying', rational(1, 2), 30],
  ['pal25', rational(17, 25), 22],
  ['long24', rational(59, 24), 24],
];

describe('the picture in the viewer', () => {
  let server: TestServer;
  let browser: TestBrowser;
  let project: Project;
  let ids: CutProject['ids'];
  const codes = expectedCodes(CUTS);
  const expected = (frame: number): FrameCode => codes[frame]!;

  beforeAll(async () => {
    server = await TestServer.start();
    ({ project, ids } = await makeCutProject(server, 'Frames', CUTS));
    await tune({ playScale: 1, restScale: 1, lightCopies: false });
    await server.settle(project.id);
    browser = await TestBrowser.open(`${server.url}/work`);
    await browser.waitForPicture();
  });

  afterAll(async () => {
    await browser.close();
    await server.stop();
  });

  const tune = (tuning: object): Promise<unknown> =>
    server.call('PUT', `projects/${project.id}/tuning`, tuning);

  // First and last frames, both sides of each cut, and some between, out of order.
  const places = [0, 1, 19, 20, 43, 44, 73, 74, 95, 96, 119, 60, 30, 10, 88, 110, 50, 51, 52, 53];

  it('is the right one at rest, at every place', async () => {
    for (const frame of places) {
      await browser.goTo(frame, 24);
      await browser.waitForCode(expected(frame));
    }
    expect(await browser.pixels()).toEqual(CUT_SIZE);
  });

  it.each([2, 4, 8, 16] as const)('is the right one at rest at 1:%i, with fewer pixels', async (scale) => {
    await tune({ playScale: scale, restScale: scale, lightCopies: false });
    await browser.reload();
    for (const frame of [0, 19, 20, 43, 44, 74, 100]) {
      await browser.goTo(frame, 24);
      await browser.waitForCode(expected(frame));
    }
    const { width, height } = await browser.pixels();
    expect(width).toBe(640 / scale);
    expect(Math.abs(height - 360 / scale)).toBeLessThanOrEqual(1);
  });

  it('is always one of the timeline while playing from the originals', async () => {
    await tune({ playScale: 2, restScale: 2, lightCopies: false });
    await browser.reload();
    const { distinct } = await seenWhilePlaying(browser, codes);
    expect(distinct.size).toBeGreaterThan(15);
  });

  it('is the right one from light copies, at rest and while playing', async () => {
    await server.makeCopies(project.id, Object.values(ids), 2);
    await tune({ playScale: 2, restScale: 2, lightCopies: true });
    await browser.reload();
    for (const frame of places) {
      await browser.goTo(frame, 24);
      await browser.waitForCode(expected(frame));
    }
    const plate = browser.page.getByTestId('plate');
    await expect
      .poll(() => plate.textContent())
      .toContain('preview 320 × 180 of 640 × 360 · original 640 × 360');
    const { distinct, plates } = await seenWhilePlaying(browser, codes);
    expect(distinct.size).toBeGreaterThan(15);
    expect([...plates].join('\n')).toContain('preview 320 × 180 of 640 × 360 · light copy 320 × 180');
  });

  it('stays right when copies are switched off and on while it plays', async () => {
    const { page } = browser;
    await page.keyboard.press('Home');
    await browser.waitForCode(expected(0));
    await page.getByTestId('play').click();
    await page.waitForTimeout(700);
    await page.keyboard.press('c');
    await page.waitForFunction(() =>
      /original/.test(document.querySelector('[data-testid="plate"]')!.textContent),
    );
    await page.keyboard.press('c');
    await page.waitForFunction(() =>
      /light copy/.test(document.querySelector('[data-testid="plate"]')!.textContent),
    );
    await page.keyboard.press('k');
    await browser.playButton('Play').waitFor();
    const frameOfTimecode = (): Promise<number> =>
      page.evaluate(() => {
        const [, , seconds, frames] = document
          .querySelector('[data-testid="timecode"]')!
          .textContent.split(':')
          .map(Number);
        return seconds! * 24 + frames!;
      });
    // The timecode follows the picture by a moment.
    await expect
      .poll(async () => {
        const [shown, wanted] = [await browser.shownCode(), expected(await frameOfTimecode())];
        return shown?.source === wanted.source && shown.frame === wanted.frame;
      })
      .toBe(true);
    // Such a run is neither of copies nor of originals.
    await page.getByRole('link', { name: 'Runs', exact: true }).click();
    await expect
      .poll(() => page.getByTestId('runs').locator('tbody tr').first().innerText())
      .toContain('mixed: levers moved');
    await page.getByRole('link', { name: 'Work', exact: true }).click();
    await browser.waitForPicture();
  });

  it('has met no error on the way', () => expect(browser.errors).toEqual([]));
});
