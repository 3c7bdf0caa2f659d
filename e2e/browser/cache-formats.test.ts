import type { CachedStretchRecord, Job, RunRecord } from '@hone/core/api';
import { CACHE_FORMATS, type CacheFormatId } from '@hone/core/media';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { expectedCodes } from '../fixtures/cut-project.js';
import { psnr } from '../fixtures/likeness.js';
import {
  openCutProject,
  THREE_CUTS,
  THREE_CUTS_LENGTH,
  type OpenCutProject,
} from '../fixtures/open-cut-project.js';
import { picturesWhilePlaying } from '../fixtures/pictures-while-playing.js';
import { seenWhilePlaying } from '../fixtures/seen-while-playing.js';

const CODES = expectedCodes(THREE_CUTS);

/** What decodes each, as the viewer says. */
const DECODERS: Readonly<Record<CacheFormatId, string | undefined>> = {
  ...{ h264: 'browser', 'h264-lossless': 'browser', ffv1: 'server', uncompressed: undefined },
};

describe('the formats of the render cache', () => {
  let opened: OpenCutProject;
  let live: Map<string, readonly number[]>;

  beforeAll(async () => {
    opened = await openCutProject('Formats', THREE_CUTS);
    const { server, made, browser } = opened;
    const { tuning } = await server.get<{ tuning: object }>(`projects/${made.project.id}`);
    await server.call('PUT', `projects/${made.project.id}/tuning`, { ...tuning, playScale: 2, restScale: 2 });
    await browser.reload();
    live = await picturesWhilePlaying(browser, 320);
  }, 120_000);

  afterAll(() => opened.close());

  const cached = (): Promise<CachedStretchRecord[]> => opened.server.get('cached-stretches');

  it.each(CACHE_FORMATS)(
    'are played, each frame in its place: $label',
    async ({ id, label, isLossless }) => {
      const { browser, server, made } = opened;
      const { page } = browser;
      const board = page.locator('hone-render-cache-board');
      const ids = (await cached()).map((each) => each.id);
      if (ids.length) await server.call('POST', 'cached-stretches/removal', { ids });
      await expect.poll(() => board.getByTestId('cached-length').textContent()).toBe('0 of 144 frames');
      await board.getByTestId('cache-format').click();
      await page.getByRole('option', { name: new RegExp(`^${label}`) }).click();
      await expect.poll(() => board.getByTestId('cache-format').textContent()).toContain(label);
      await browser.goTo(2, 24);
      await page.keyboard.press('i');
      await browser.goTo(THREE_CUTS_LENGTH - 3, 24);
      await page.keyboard.press('o');
      await board.getByRole('button', { name: 'Render marked range' }).click();
      await expect
        .poll(() => board.getByTestId('cached-length').textContent(), { timeout: 30_000 })
        .toBe('140 of 144 frames');
      expect([...new Set((await cached()).map(({ format }) => format))]).toEqual([id]);
      await expect.poll(() => board.getByTestId('cached-stretches').textContent()).toContain(label);
      await page.keyboard.press('u');

      const { distinct, plates } = await seenWhilePlaying(browser, CODES);
      // Looked at from outside a few times a second; how many are shown is counted below.
      expect(distinct.size).toBeGreaterThan(12);
      const origin = /render cache 320 × 180(, decoded by the (browser|server))?/.exec(
        [...plates].join('\n'),
      );
      expect(origin?.[2]).toBe(DECODERS[id]);
      const pictures = await picturesWhilePlaying(browser, 320);
      let both = 0;
      for (const [key, picture] of pictures) {
        const before = live.get(key);
        if (!before) continue;
        both++;
        expect(psnr(picture, before), key).toBeGreaterThan(40);
      }
      expect(both).toBeGreaterThan(isLossless ? 30 : 60);
      const [run] = await server.get<RunRecord[]>(`projects/${made.project.id}/runs`);
      expect(run!.facts.cached).toEqual([{ from: 2, to: 142 }]);

      // At rest and by steps, in any order.
      for (const frame of [77, 76, 3, 141]) {
        await browser.goTo(frame, 24);
        await browser.waitForCode(CODES[frame]!);
      }
      expect(browser.errors).toEqual([]);
    },
    240_000,
  );

  it('are offered with what to do where they were not measured', async () => {
    const { page } = opened.browser;
    const board = page.locator('hone-render-cache-board');
    const note = board.getByTestId('cache-format-note');
    await expect.poll(() => note.textContent()).toContain('not tried yet');
    await board.getByTestId('cache-format').click();
    expect(await accessibilityFaults(page)).toEqual([]);
    await page.getByRole('option', { name: 'Automatic H.264, intra-coded' }).click();
    await expect.poll(() => note.textContent()).toContain('until this machine is measured');
    const jobs = await opened.server.get<Job[]>(`projects/${opened.made.project.id}/jobs`);
    expect(new Set(jobs.filter(({ kind }) => kind === 'stretch').map(({ state }) => state))).toEqual(
      new Set(['done']),
    );
  });
});
