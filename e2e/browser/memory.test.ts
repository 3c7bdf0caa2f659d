import type { RunRecord } from '@hone/core/api';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { expectedCodes, type NamedCut } from '../fixtures/cut-project.js';
import { openCutProject, type OpenCutProject } from '../fixtures/open-cut-project.js';
import { rigOf } from '../fixtures/rigs.js';
import { seenWhilePlaying } from '../fixtures/seen-while-playing.js';

const CUTS = Array.from({ length: 8 }, (_, at): NamedCut => [
  at % 2 ? 'long24' : 'pal25',
  rational(1 + ((3 * at) % 5), 4),
  18,
]);
const FRAMES = 8 * 18;

describe('the memory of shown pictures', () => {
  let opened: OpenCutProject;

  beforeAll(async () => {
    opened = await openCutProject('Memory', CUTS);
    // Beyond this machine, so that the first run leaves clips out as planned; what it teaches must not change that.
    opened.server.services.sampler.othersShare = () => Promise.resolve(0.5);
    await opened.server.call('PUT', 'rigs/own', rigOf(300, 2));
    await opened.browser.reload();
    await opened.browser.waitForPrediction();
  });

  afterAll(() => opened.close());

  const lastRun = async (): Promise<RunRecord> => {
    const [run] = await opened.server.get<RunRecord[]>(`projects/${opened.made.project.id}/runs`);
    return run!;
  };
  const work = (): Promise<string | null> =>
    opened.browser.page.locator('hone-background-work .summary').textContent();

  it('is filled at rest with what a run dropped, and the next run shows it, each frame the right one', async () => {
    const { browser } = opened;
    await browser.page.getByRole('heading', { name: 'Predicted to drop frames' }).waitFor();
    await browser.page.keyboard.press('Home');
    // It takes a moment only.
    const isFilling = browser.page.waitForFunction(
      () => /Making what was dropped/.test(document.querySelector('hone-background-work')!.textContent),
      undefined,
      { polling: 'raf', timeout: 60_000 },
    );
    await browser.playThrough();
    const first = await lastRun();
    expect(first.summary.dropped).toBeGreaterThan(0.1 * FRAMES);
    expect(first.facts.kept ?? []).toEqual([]);
    await isFilling;
    await expect.poll(work).toBe('Nothing runs in the background');
    const { distinct } = await seenWhilePlaying(browser, expectedCodes(CUTS));
    expect(distinct.size).toBeGreaterThan(20);
    await expect.poll(async () => (await lastRun()).facts.kept ?? []).not.toEqual([]);
    const { facts, summary } = await lastRun();
    // It was planned to leave clips out, and shows them all the same.
    expect(facts.ranges).toBeDefined();
    expect(summary.dropped).toBeLessThan(0.05 * FRAMES);
    const kept = await browser.page.getByTestId('kept').textContent();
    expect(kept).toContain(`Pictures of ${FRAMES} of ${FRAMES} frames were in memory from an earlier pass.`);
  });

  it('has met no error on the way', () => {
    expect(opened.browser.errors).toEqual([]);
  });
});
