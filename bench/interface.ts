import { median } from 'd3-array';
import type { CDPSession, Page } from 'playwright-core';
import { SHORT_PROJECT } from '@hone/demo';
import { withBrowser } from './browser.js';
import { startWithFootage, waitForJobs } from './footage.js';

const PLAYS = 3;
/** Part of a play that is measured, s: its first second is left out, in which the page changes to playing. */
const FIRST_SECONDS = 1;
const SECONDS = 6;

/** Counters of a page since it was loaded, of its main thread only: seconds on a core, and counts. */
interface PageCounters {
  readonly TaskDuration: number;
  readonly LayoutCount: number;
  readonly RecalcStyleCount: number;
}

/** Share of one core that the interface takes while the real page plays: the player has threads of its own. */
export async function interfaceBench(): Promise<Record<string, number>> {
  const server = await startWithFootage(SHORT_PROJECT);
  try {
    await waitForJobs(server, SHORT_PROJECT);
    return await withBrowser(async (page) => {
      await page.addInitScript((id) => localStorage.setItem('hone.lastProject', id), SHORT_PROJECT);
      await page.goto(server.url);
      await page.getByTestId('plate').getByText('preview').waitFor();
      await page.locator('[data-testid="verdict-card"][aria-busy="false"]').waitFor();
      // Filmstrips, waveforms and the predicted effect of levers are there.
      await page.waitForTimeout(4000);
      const session = await page.context().newCDPSession(page);
      // Time on a core, and not time that passes: the player's threads keep the cores busy meanwhile.
      await session.send('Performance.enable', { timeDomain: 'threadTicks' });
      const plays: PlayCounts[] = [];
      for (let play = 0; play < PLAYS; play++) plays.push(await whilePlaying(page, session));
      const of = (key: keyof PlayCounts): number => median(plays, (each) => each[key])!;
      return {
        uiCoreShare: of('share'),
        layoutsPerSecond: of('layouts'),
        stylesPerSecond: of('styles'),
      };
    });
  } finally {
    await server.stop();
  }
}

/** Of a part of a play: share of one core, and layouts and style calculations a second. */
interface PlayCounts {
  readonly share: number;
  readonly layouts: number;
  readonly styles: number;
}

async function whilePlaying(page: Page, session: CDPSession): Promise<PlayCounts> {
  await page.keyboard.press('Home');
  await page.waitForTimeout(1500);
  await page.keyboard.press(' ');
  await page.locator('[data-testid="play"][aria-label="Stop"]').waitFor();
  await page.waitForTimeout(1000 * FIRST_SECONDS);
  const start = performance.now();
  const before = await counters(session);
  await page.waitForTimeout(1000 * SECONDS);
  const after = await counters(session);
  const seconds = (performance.now() - start) / 1000;
  const isStill = await page.locator('[data-testid="play"][aria-label="Play"]').count();
  if (isStill) throw new Error('Playback ended before it was measured: the timeline is too short.');
  await page.keyboard.press(' ');
  await page.locator('[data-testid="play"][aria-label="Play"]').waitFor();
  return {
    share: (after.TaskDuration - before.TaskDuration) / seconds,
    layouts: (after.LayoutCount - before.LayoutCount) / seconds,
    styles: (after.RecalcStyleCount - before.RecalcStyleCount) / seconds,
  };
}

async function counters(session: CDPSession): Promise<PageCounters> {
  const { metrics } = await session.send('Performance.getMetrics');
  const valueOf = (wanted: string): number => metrics.find(({ name }) => name === wanted)?.value ?? NaN;
  return {
    TaskDuration: valueOf('TaskDuration'),
    LayoutCount: valueOf('LayoutCount'),
    RecalcStyleCount: valueOf('RecalcStyleCount'),
  };
}
