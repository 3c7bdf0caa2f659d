import { mkdtemp, mkdir, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Tuning } from '@hone/core/levers';
import type { DecodeRange } from '@hone/core/pacing';
import type { Rig } from '@hone/core/machine';
import type { Timeline } from '@hone/core/timeline';
import { FrameLog, type RunFacts } from '@hone/core/playback';
import { build, type BuildOptions } from 'esbuild';
import { chromium, type Page } from 'playwright-core';
import type { BenchPage, PlayedLog } from './page/page.js';

const FLAGS =
  '--no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update --disable-sync --autoplay-policy=no-user-gesture-required';

/** Folder of the page that benchmarks drive; the server delivers it under /extra. */
export const PAGE_FOLDER = fileURLToPath(new URL('./page/', import.meta.url));

/** Bundles the page. */
export async function buildPage(): Promise<void> {
  await mkdir(PAGE_FOLDER, { recursive: true });
  const entry = fileURLToPath(new URL('../page/page.ts', import.meta.url));
  const options = { bundle: true, format: 'esm', conditions: ['source'] } satisfies BuildOptions;
  await build({ ...options, entryPoints: [entry], outfile: join(PAGE_FOLDER, 'bundle.js') });
  await writeFile(
    join(PAGE_FOLDER, 'index.html'),
    '<!doctype html><meta charset="utf-8"><title>Bench</title><link rel="icon" href="data:,"><body><script type="module" src="/extra/bundle.js"></script>',
  );
}

/** Opens a fresh browser and hands over an empty page. */
export async function withBrowser<T>(use: (page: Page) => Promise<T>): Promise<T> {
  const profile = await mkdtemp(join(tmpdir(), 'hone-bench-'));
  const executablePath = process.env['HONE_CHROMIUM'] ?? '/usr/bin/chromium';
  const options = { executablePath, args: FLAGS.split(' '), viewport: { width: 1280, height: 800 } };
  const browser = await chromium.launchPersistentContext(profile, options);
  try {
    const page = await browser.newPage();
    page.on('console', (message) => {
      if (message.type() === 'error') console.error(`page: ${message.text()}`);
    });
    return await use(page);
  } finally {
    await browser.close();
    await rm(profile, { recursive: true, force: true });
  }
}

/** Opens the page that benchmarks drive in a fresh browser and hands it over. */
export const withPage = <T>(url: string, use: (page: Page) => Promise<T>): Promise<T> =>
  withBrowser(async (page) => {
    await page.goto(`${url}/extra/index.html`);
    await page.waitForFunction('globalThis.benchPage !== undefined');
    return use(page);
  });

declare const benchPage: BenchPage;

export const bareDecoder = (page: Page, sourceId: string, frames: number): Promise<number> =>
  page.evaluate(([id, count]) => benchPage.bareDecoder(id, count), [sourceId, frames] as const);

export const flatOut = (
  page: Page,
  projectId: string,
  sourceId: string,
  frames: number,
  byServer = false,
): Promise<number> =>
  page.evaluate(([project, id, count, server]) => benchPage.flatOut(project, id, count, server), [
    projectId,
    sourceId,
    frames,
    byServer,
  ] as const);

export const serverPath = (
  page: Page,
  sourceId: string,
  size: { width: number; height: number },
  frames: number,
): Promise<number> =>
  page.evaluate(([id, width, height, count]) => benchPage.serverPath(id, width, height, count), [
    sourceId,
    size.width,
    size.height,
    frames,
  ] as const);

/** Plays a timeline in real time. @param ranges of the decode plan; undefined decodes everything */
export async function playTimeline(
  page: Page,
  projectId: string,
  timeline: Timeline,
  tuning: Tuning,
  ranges?: readonly DecodeRange[],
): Promise<{ log: FrameLog; facts: Pick<RunFacts, 'serverDecoded' | 'sound'> }> {
  const given = [projectId, timeline, tuning, ranges] as const;
  const played = await page.evaluate(
    ([id, line, levers, decoded]) => benchPage.playTimeline(id, line, levers, decoded),
    given,
  );
  return { log: logOf(played), facts: { serverDecoded: played.serverDecoded, sound: played.sound } };
}

/** The same several times in a row, with what the player keeps from one to the next. */
export async function playAgain(
  page: Page,
  projectId: string,
  timeline: Timeline,
  tuning: Tuning,
  times: number,
  ranges?: readonly DecodeRange[],
): Promise<FrameLog[]> {
  const given = [projectId, timeline, tuning, times, ranges] as const;
  const played = await page.evaluate(
    ([id, line, levers, count, decoded]) => benchPage.playAgain(id, line, levers, count, decoded),
    given,
  );
  return played.map(logOf);
}

const logOf = ({ firstFrame, values }: PlayedLog): FrameLog =>
  new FrameLog(
    firstFrame,
    Float32Array.from(values, (value) => (value < 0 ? NaN : value)),
  );

/** Has the server look at the machine, as the page of Hone does when something is played. */
export const startSampling = (page: Page): Promise<void> =>
  page.evaluate(async () => {
    await fetch('/api/sampling', { method: 'POST' });
  });

/** Decodes for a moment the sources of a project that a rig does not know. */
export const tryDecoders = (page: Page, projectId: string, rig: Rig): Promise<Rig> =>
  page.evaluate(([id, known]) => benchPage.tryDecoders(id, known), [projectId, rig] as const);

/** Cores that the browser reports. */
export const coresOf = (page: Page): Promise<number> => page.evaluate(() => benchPage.cores());
