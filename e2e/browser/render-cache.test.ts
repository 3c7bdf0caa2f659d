import { join } from 'node:path';
import type { CachedStretchRecord, Job, Project, RenderCacheSettings, RunRecord } from '@hone/core/api';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { expectedCodes } from '../fixtures/cut-project.js';
import { effectOf } from '../fixtures/effect-cases.js';
import { psnr } from '../fixtures/likeness.js';
import {
  openCutProject,
  THREE_CUTS,
  THREE_CUTS_LENGTH,
  type OpenCutProject,
} from '../fixtures/open-cut-project.js';
import { rigOf } from '../fixtures/rigs.js';
import { picturesWhilePlaying } from '../fixtures/pictures-while-playing.js';
import { seenWhilePlaying } from '../fixtures/seen-while-playing.js';

/** Frames that are rendered: within the first clip, over a cut and a transition, and into the last. */
const [FROM, TO] = [20, 120];
const CODES = expectedCodes(THREE_CUTS);
const keyOf = (frame: number): string => `${CODES[frame]!.source}:${CODES[frame]!.frame}`;

describe('the render cache', () => {
  let opened: OpenCutProject;

  beforeAll(async () => {
    opened = await openCutProject('Rendered', THREE_CUTS);
    const { server, made, browser } = opened;
    const [pictures, ...others] = made.timeline.tracks;
    const [first, ...rest] = pictures!.clips;
    const graded = {
      ...first!,
      effects: [effectOf('exposure', [{ stops: 0.4 }]), effectOf('blur', [{ radius: 0.3 }])],
    };
    const tracks = [{ ...pictures!, clips: [graded, ...rest] }, ...others];
    await server.setTimeline(made.project.id, { ...made.timeline, tracks });
    const { tuning } = await server.get<Project>(`projects/${made.project.id}`);
    await server.call('PUT', `projects/${made.project.id}/tuning`, { ...tuning, playScale: 2, restScale: 1 });
    await browser.reload();
  });

  afterAll(() => opened.close());

  const cached = (): Promise<CachedStretchRecord[]> => opened.server.get('cached-stretches');
  const lastRun = async (): Promise<RunRecord> => {
    const [run] = await opened.server.get<RunRecord[]>(`projects/${opened.made.project.id}/runs`);
    return run!;
  };

  it('takes frames from in to out, and plays them with no seam', async () => {
    const { browser } = opened;
    const { page } = browser;
    const live = await picturesWhilePlaying(browser, 320);
    expect(live.size).toBeGreaterThan(0.7 * THREE_CUTS_LENGTH);

    const board = page.locator('hone-render-cache-board');
    await expect(board.getByTestId('cached-length').textContent()).resolves.toBe('0 of 144 frames');
    await browser.goTo(FROM, 24);
    await page.keyboard.press('i');
    await browser.goTo(TO - 1, 24);
    await page.keyboard.press('o');
    await board.getByRole('button', { name: 'Render marked range' }).click();
    const rows = board.getByTestId('cached-stretches').getByRole('row');
    await rows.filter({ hasText: '00:00:00:20–00:00:05:00' }).waitFor();
    expect((await cached()).map(({ frameCount, size }) => [frameCount, size.width])).toEqual([
      [96, 320],
      [4, 320],
    ]);
    await page.keyboard.press('u');

    const pictures = await picturesWhilePlaying(browser, 320);
    expect(pictures.size).toBeGreaterThan(0.7 * THREE_CUTS_LENGTH);
    const both = CODES.map((_, frame) => frame).filter(
      (frame) => live.has(keyOf(frame)) && pictures.has(keyOf(frame)),
    );
    expect(both.filter((frame) => frame >= FROM && frame < TO).length).toBeGreaterThan(50);
    for (const frame of both)
      expect(psnr(pictures.get(keyOf(frame))!, live.get(keyOf(frame))!), `frame ${frame}`).toBeGreaterThan(
        40,
      );
    await expect.poll(async () => (await lastRun()).facts.cached).toEqual([{ from: FROM, to: TO }]);
  }, 240_000);

  it('shows every frame as the timeline has it, and says where its pictures are from', async () => {
    const { plates } = await seenWhilePlaying(opened.browser, CODES);
    const text = [...plates].join('\n');
    expect(text).toMatch(/render cache 320/);
    expect(text).toMatch(/original/);
    expect(await accessibilityFaults(opened.browser.page)).toEqual([]);
  }, 120_000);

  it('shows the original at rest, sharp', async () => {
    const { browser } = opened;
    await browser.goTo(60, 24);
    await browser.waitForCode(CODES[60]!);
    const plate = browser.page.getByTestId('plate');
    await plate.filter({ hasText: 'preview 640' }).filter({ hasText: 'original' }).waitFor();
  });

  it('is left aside by its switch, and by an edit of the picture until that is undone', async () => {
    const { browser } = opened;
    const { page } = browser;
    const board = page.locator('hone-render-cache-board');
    const length = board.getByTestId('cached-length');
    await expect.poll(() => length.textContent()).toBe('100 of 144 frames');
    await board.getByRole('switch', { name: 'Play from the render cache' }).click();
    await expect.poll(() => length.textContent()).toBe('0 of 144 frames');
    await board.getByRole('switch', { name: 'Play from the render cache' }).click();
    await expect.poll(() => length.textContent()).toBe('100 of 144 frames');

    await browser.goTo(10, 24);
    await page.keyboard.press('Control+a');
    await page.getByTestId('speed').fill('50');
    await page.keyboard.press('Enter');
    await expect.poll(() => length.textContent()).toMatch(/^0 of/);
    await expect.poll(() => board.getByTestId('cached-stretches').textContent()).toContain('not used now');
    await page.getByTestId('speed').blur();
    await page.keyboard.press('Control+z');
    await expect.poll(() => length.textContent()).toBe('100 of 144 frames');
  });

  it('gives the export nothing', async () => {
    const { id } = await opened.server.export(opened.made.project.id);
    const proof = (
      await opened.server.get<{ id: string; proof: { filters: string; otherInputs: string[] } }[]>(
        `projects/${opened.made.project.id}/exports`,
      )
    ).find((each) => each.id === id)!.proof;
    expect(proof.otherInputs).toEqual([]);
    expect(proof.filters).not.toContain('render-cache');
  }, 120_000);

  it('is deleted by the stretch', async () => {
    const { browser } = opened;
    const board = browser.page.locator('hone-render-cache-board');
    await board.getByRole('button', { name: /^Delete 00:00:00:20/ }).click();
    await expect.poll(async () => (await cached()).length).toBe(0);
    await expect.poll(() => board.getByTestId('cached-length').textContent()).toBe('0 of 144 frames');
    const jobs = await opened.server.get<Job[]>(`projects/${opened.made.project.id}/jobs`);
    expect(jobs.filter(({ kind }) => kind === 'stretch').map(({ state }) => state)).toEqual(['done']);
    expect(browser.errors).toEqual([]);
  });

  it('has a size limit that can be set', async () => {
    const limit = opened.browser.page.getByTestId('cache-limit');
    await expect.poll(() => limit.textContent()).toMatch(/0 bytes used · .* free on its drive/);
    await limit.getByRole('radio', { name: '10 GB' }).click();
    await expect
      .poll(async () => (await opened.server.get<RenderCacheSettings>('render-cache/settings')).quotaBytes)
      .toBe(10e9);
  });

  it('can be put into another folder, and says why one cannot be used', async () => {
    const { page } = opened.browser;
    const board = page.locator('hone-render-cache-space');
    const another = board.getByLabel('Another folder for the render cache');
    const own = (await board.getByTestId('cache-folder').textContent())!;
    await another.fill(join(opened.server.folder, 'nowhere'));
    await board.getByRole('button', { name: 'Use folder' }).click();
    await expect.poll(() => page.locator('.notice').textContent()).toContain('There is no folder');
    await another.fill(opened.server.folder);
    await another.press('Enter');
    await expect
      .poll(() => board.getByTestId('cache-folder').textContent())
      .toBe(join(opened.server.folder, 'hone-render-cache'));
    await board.getByRole('button', { name: 'Use Hone’s own' }).click();
    await expect.poll(() => board.getByTestId('cache-folder').textContent()).toBe(own);
    // The browser notes the answer that refused the folder.
    expect(opened.browser.errors.splice(0)).toEqual([expect.stringContaining('422')]);
  });

  it('fills by itself with what is predicted to drop frames, while nothing plays', async () => {
    const { browser, server } = opened;
    // Beyond this machine, so that all of it is predicted to drop frames.
    await server.call('PUT', 'rigs/own', rigOf(300, 2));
    await browser.reload();
    await browser.waitForPrediction();
    const board = browser.page.locator('hone-render-cache-board');
    expect((await cached()).length).toBe(0);
    await board.getByTestId('render-at-rest').getByRole('switch').click();
    await expect
      .poll(() => board.getByTestId('cached-length').textContent(), { timeout: 90_000 })
      .toMatch(/^1\d\d of 144 frames/);
    expect(browser.errors).toEqual([]);
  }, 120_000);
});
