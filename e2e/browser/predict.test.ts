import type { LightCopy, Rigs, RunRecord } from '@hone/core/api';
import type { Rig } from '@hone/core/machine';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { TestBrowser } from '../fixtures/browser.js';
import { makeCutProject, type CutProject } from '../fixtures/cut-project.js';
import { rigOf } from '../fixtures/rigs.js';
import { TestServer } from '../fixtures/server.js';

/** What is said of playback before anything was played. */
describe('the prediction', () => {
  let server: TestServer;
  let browser: TestBrowser;
  let made: CutProject;
  const said = (): Promise<string | null> => browser.page.getByTestId('verdict').textContent();

  beforeAll(async () => {
    server = await TestServer.start();
    made = await makeCutProject(server, 'Predicted', [
      ['long24', rational(1), 48],
      ['fast60', rational(1, 2), 48],
    ]);
    await server.settle(made.project.id);
    await server.call('PUT', 'rigs/own', rigOf(50));
    browser = await TestBrowser.open(server.url);
    await browser.waitForPicture();
  });

  afterAll(async () => {
    await browser.close();
    await server.stop();
  });

  it('says before playing how many frames will be shown, and what holds playback back', async () => {
    const { page } = browser;
    await page.getByRole('heading', { name: 'Predicted to drop frames' }).waitFor();
    expect(await said()).toMatch(/Predicted: [\d.]+ of 24 frames\/s.*\d+ frames of 96 dropped/);
    const first = page.locator('hone-finding-list .finding').first();
    expect(await first.getAttribute('data-finding')).toMatch(
      /cores|serial-decoding|long-groups|rate-mismatch/,
    );
    expect(await first.textContent()).toContain('shows in the stage decode');
    expect(await accessibilityFaults(page)).toEqual([]);
  });

  it('opens the sum behind a lane, down to the clips', async () => {
    const { page } = browser;
    const box = (await page.getByTestId('lanes').boundingBox())!;
    const sum = page.getByTestId('lane-sum');
    // From the lowest lane upwards until it is that of decoding; the second half is the 60 on 24. Of its 2.5 pictures
    // for each that is shown, those that no other refers to are left out.
    let decoded = 0;
    await expect
      .poll(async () => {
        for (let up = 4; up < box.height; up += 6) {
          await page.mouse.move(box.x + 0.8 * box.width, box.y + box.height - up);
          const text = await sum.textContent({ timeout: 300 }).catch(() => null);
          if (text?.startsWith('Decode')) {
            decoded = Number(/\(([\d.]+) decoded/.exec(text)?.[1]);
            return text;
          }
        }
        return null;
      })
      .toMatch(
        /Decode, predicted: [\d.]+ (ms|s) of 41\.7 ms, \d+ %: fast60\.mp4 .*\([\d.]+ decoded for 1 shown\)/,
      );
    expect(decoded).toBeGreaterThan(1);
    expect(decoded).toBeLessThan(2.5);
  });

  it('goes to where frames will be dropped', async () => {
    const { page } = browser;
    const first = page
      .locator('hone-finding-list .finding')
      .first()
      .getByRole('button', { name: /^\d\d:\d\d/ })
      .first();
    const from = /\d\d:\d\d:\d\d:\d\d/.exec((await first.textContent())!)![0];
    await page.keyboard.press('End');
    await expect.poll(() => page.getByTestId('timecode').textContent()).not.toBe(from);
    await first.click();
    await expect.poll(() => page.getByTestId('timecode').textContent()).toBe(from);
  });

  it('recommends under a finding the levers that answer it with what they bring, and says why others do not', async () => {
    const offers = browser.page
      .locator('hone-finding-list .finding')
      .first()
      .locator('hone-recommendation-list');
    await offers
      .getByRole('button', {
        name: /Make copies of 1 clip .*[\d.]+ → 24 frames\/s.*the whole timeline plays/,
      })
      .waitFor();
    expect(await offers.textContent()).toMatch(/A preview scale of 1:8 would not help: decode takes/);
  });

  it('puts another machine under the timeline, marked as such', async () => {
    const { page } = browser;
    const before = await said();
    await browser.choose('what-if', 'on: Tower with a separate graphics processor');
    await page.getByRole('heading', { name: 'Predicted to play there' }).waitFor();
    expect(await said()).toMatch(/Predicted: 24 of 24 frames\/s.*0 frames of 96 dropped/);
    expect(await accessibilityFaults(page)).toEqual([]);
    await browser.choose('what-if', 'on this machine');
    await page.getByRole('heading', { name: 'Predicted to drop frames' }).waitFor();
    expect(await said()).toBe(before);
  });

  it('stands beside what is measured, and learns from it', async () => {
    const { page } = browser;
    const calibration = async (): Promise<Rig['calibration']> =>
      (await server.get<Rigs>('rigs')).own?.calibration;
    expect(await calibration()).toBeUndefined();
    const expected = await said();
    // What others take is given here, since nobody knows what else this machine does.
    const { sampler } = server.services;
    sampler.othersShare = () => Promise.resolve(0.5);
    await page.keyboard.press('Home');
    await browser.playThrough();
    await page.getByText('Other programs took 50 % of the cores during the run.').waitFor();
    expect(await calibration()).toBeUndefined();
    sampler.othersShare = () => Promise.resolve(0);
    // Another size empties the memory: what is found there teaches nothing about decoding.
    for (const scale of ['1:8', '1:4']) {
      await page.getByTestId('play-scale').getByText(scale, { exact: true }).click();
      await browser.waitForPrediction();
    }
    await page.keyboard.press('Home');
    await browser.playThrough();
    const [run] = await server.get<RunRecord[]>(`projects/${made.project.id}/runs`);
    expect(run!.facts.predicted!.framesPerSecond).toBeLessThan(24);
    expect(expected).toContain(`${run!.facts.predicted!.dropped} frames of 96`);
    const row = page.getByTestId('figures').getByRole('row', { name: /^Predicted/ });
    expect(await row.textContent()).toMatch(/frames\/s/);
    // What was found is kept with the run, and shown with it.
    await expect
      .poll(async () => (await server.get<RunRecord[]>(`projects/${made.project.id}/runs`))[0]!.findings)
      .not.toBeNull();
    // The rig has fifty times the decoding times of this machine: the run corrects them.
    await expect.poll(async () => (await calibration())?.decode.log ?? 0).toBeLessThan(-0.5);
    // What it learned shows in what is predicted of another scale.
    await page.getByTestId('play-scale').getByText('1:8', { exact: true }).click();
    await browser.waitForPrediction();
    const rateOf = (text: string | null): number => Number(/Predicted: ([\d.]+) of 24/.exec(text!)![1]);
    expect(rateOf(await said())).toBeGreaterThan(rateOf(expected) + 1);
    await page.getByTestId('play-scale').getByText('1:4', { exact: true }).click();
    // How steady the machine is takes longer runs than this one of two clips of two seconds.
    await page.getByRole('link', { name: 'Rig', exact: true }).click();
    await page.getByText('not known yet: the runs so far were too short').waitFor();
    await page.getByRole('link', { name: 'Work', exact: true }).click();
    await expect.poll(said).toContain('Measured: ');
  });

  it('follows a lever as it moves, before anything is played', async () => {
    const { page } = browser;
    const busy = async (): Promise<number> => Number(/cores ([\d.]+) %/.exec((await said())!)![1]);
    await browser.choose('what-if', 'on: Travel laptop, two cores');
    await page.getByRole('heading', { name: /there$/ }).waitFor();
    const before = await busy();
    await page.getByTestId('play-scale').getByText('1:1', { exact: true }).click();
    await expect.poll(busy).not.toBe(before);
  });

  it('takes the lever that is recommended, and then predicts that it plays', async () => {
    const { page } = browser;
    await server.call('PUT', 'rigs/own', rigOf(50));
    const other = await makeCutProject(server, 'Answered', [
      ['long24', rational(1), 48],
      ['fast60', rational(1, 2), 48],
    ]);
    await server.settle(other.project.id);
    await page.evaluate((id) => localStorage.setItem('hone.lastProject', id), other.project.id);
    await page.reload();
    await browser.waitForPicture();
    await page.getByRole('heading', { name: 'Predicted to drop frames' }).waitFor();
    // The copy of the 60 on 24 is enough.
    const lever = page
      .getByRole('button', { name: /Make copies of 1 clip .*the whole timeline plays/ })
      .first();
    await lever.click();
    await page.getByRole('heading', { name: 'Predicted to play' }).waitFor({ timeout: 60_000 });
    const copies = await server.get<LightCopy[]>(`projects/${other.project.id}/copies`);
    expect(copies.map(({ state }) => state)).toEqual(['ready']);
    expect(await said()).toMatch(/Predicted: 24 of 24 frames\/s/);
  });

  it('has met no error on the way', () => {
    expect(browser.errors).toEqual([]);
  });
});
