import { median } from 'd3-array';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { readOtio, relink, writeOtio, type WrittenMedia } from '@hone/core/interchange';
import { rational, ZERO } from '@hone/core/time';
import type { Clip, Timeline } from '@hone/core/timeline';
import { makeCodedClip } from '@hone/demo';
import { configFrom, startServer, type RunningServer } from '@hone/server';
import type { Page } from 'playwright-core';
import { withBrowser } from './browser.js';

const root = fileURLToPath(new URL('../../', import.meta.url));
const RATE = rational(24);
const TRACKS = 8;
const HOURS = 3;
const SIZE = { width: 1280, height: 720 };
/** A time shorter than this is not told from zero. */
const LEAST_MS = 1;

type Times = Readonly<
  Record<
    'drawMsMedian' | 'drawMsWorst' | 'editMs' | 'openMs' | 'saveMs' | 'otioWriteMs' | 'otioReadMs',
    number
  >
>;

/** The real page with a timeline of three hours: 10,000 clips on eight tracks, against 1,000. */
export async function timeline(): Promise<Record<string, number>> {
  const folder = await mkdtemp(join(tmpdir(), 'hone-bench-timeline-'));
  const env = { ...process.env, HONE_DATA: join(folder, 'data'), HONE_MEASURE: 'asked' };
  const server = await startServer({ ...configFrom(env, root), port: 0 });
  try {
    const few = await measured(server, folder, 1000);
    const many = await measured(server, folder, 10_000);
    const growths = Object.entries(many).map(([name, ms]) => {
      const before = few[name as keyof Times];
      const exponent = Math.log10(Math.max(LEAST_MS, ms) / Math.max(LEAST_MS, before));
      console.log(`${name}: ${before.toFixed(1)} ms with 1,000 clips, ${ms.toFixed(1)} ms with 10,000`);
      return exponent;
    });
    return { ...many, growth: Math.max(...growths) };
  } finally {
    await server.stop();
    await rm(folder, { recursive: true, force: true });
  }
}

async function measured(server: RunningServer, folder: string, clips: number): Promise<Times> {
  const { projects, importer } = server.services;
  const project = await projects.create({ name: `${clips} clips`, size: SIZE, rate: RATE });
  const path = join(folder, `${clips}.mp4`);
  await makeCodedClip({ source: 1, ...SIZE, rate: '24', frames: 48, sound: true, path });
  const source = await importer.add(project.id, path);
  const made = longTimeline(source.id, clips);
  const { revision, delivery } = await projects.get(project.id);
  await projects.change(project.id, { revision, delivery, timeline: made });
  const otio = otioTimes(made, source.id);
  return withBrowser(async (page) => ({ ...(await inPage(page, server.url, project.id)), ...otio }));
}

function longTimeline(sourceId: string, count: number): Timeline {
  const frames = HOURS * 3600 * 24;
  const perTrack = count / TRACKS;
  const each = Math.floor(frames / perTrack);
  const tracks = Array.from({ length: TRACKS }, (_, track) => ({
    id: `t${track}`,
    kind: track < TRACKS / 2 ? ('picture' as const) : ('sound' as const),
    name: `Track ${track + 1}`,
    enabled: true,
    clips: Array.from({ length: perTrack }, (_, at): Clip => ({
      id: `c${track}-${at}`,
      name: `Take ${at + 1}`,
      sourceId,
      start: at * each,
      length: Math.min(each, 40),
      sourceIn: ZERO,
      enabled: true,
    })),
  }));
  return { rate: RATE, startFrame: 0, size: SIZE, tracks };
}

function otioTimes(made: Timeline, sourceId: string): Pick<Times, 'otioWriteMs' | 'otioReadMs'> {
  const media: WrittenMedia = {
    name: 'take.mp4',
    target: 'file:///take.mp4',
    lengthSeconds: rational(2),
    rate: RATE,
    startSeconds: ZERO,
  };
  const known = [
    { id: sourceId, name: 'take.mp4', path: '/take.mp4', lengthSeconds: rational(2), startSeconds: ZERO },
  ];
  const write: number[] = [];
  const read: number[] = [];
  for (let round = 0; round < 5; round++) {
    let start = performance.now();
    const text = writeOtio('Long', made, () => media);
    write.push(performance.now() - start);
    start = performance.now();
    let next = 0;
    relink(readOtio(text), known, SIZE, () => `n${next++}`);
    read.push(performance.now() - start);
  }
  return { otioWriteMs: median(write)!, otioReadMs: median(read)! };
}

interface Draw {
  readonly duration: number;
  /** ms on the page's clock. */
  readonly end: number;
}

interface Seen {
  readonly draws: Draw[];
}

async function inPage(
  page: Page,
  url: string,
  projectId: string,
): Promise<Omit<Times, 'otioWriteMs' | 'otioReadMs'>> {
  await page.addInitScript((id) => localStorage.setItem('hone.lastProject', id), projectId);
  // Draws are told as measures of the page's own time line (User Timing).
  await page.addInitScript(() => {
    const seen: Seen = { draws: [] };
    (globalThis as unknown as { seen: Seen }).seen = seen;
    new PerformanceObserver((list) => {
      for (const { startTime, duration } of list.getEntries())
        seen.draws.push({ duration, end: startTime + duration });
    }).observe({ type: 'measure', buffered: true });
  });
  const clipsDrawn = (): Promise<unknown> =>
    page.waitForFunction(
      () =>
        document
          .querySelector('[data-testid="timeline"]')
          ?.getAttribute('aria-label')
          ?.match(/with [1-9]/) && (globalThis as unknown as { seen: Seen }).seen.draws.length > 0,
    );
  const opened = performance.now();
  await page.goto(url);
  await clipsDrawn();
  const openMs = performance.now() - opened;
  await page.waitForTimeout(3000);

  const box = (await page.getByTestId('timeline').boundingBox())!;
  await page.mouse.move(box.x + box.width / 2, box.y + 60);
  await page.evaluate(() => (globalThis as unknown as { seen: Seen }).seen.draws.splice(0));
  for (let step = 0; step < 60; step++) {
    // Closer, along, and back again.
    if (step % 3 === 2) await page.mouse.wheel(120, 0);
    else await page.mouse.wheel(0, step < 30 ? -160 : 160);
    await page.waitForTimeout(30);
  }
  const drawn = await page.evaluate(() => (globalThis as unknown as { seen: Seen }).seen.draws.splice(0));
  const draws = drawn.map(({ duration }) => duration);

  const edits = await page.evaluate(async () => {
    const { seen } = globalThis as unknown as { seen: Seen };
    const times: number[] = [];
    const press = (key: string): void => {
      document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));
    };
    for (let round = 0; round < 9; round++) {
      seen.draws.length = 0;
      const start = performance.now();
      press('m');
      while (seen.draws.length === 0) await new Promise((resolve) => setTimeout(resolve, 0));
      times.push(seen.draws[0]!.end - start);
      await new Promise((resolve) => setTimeout(resolve, 1500));
    }
    return times;
  });
  const saves = await page.evaluate(() =>
    performance
      .getEntriesByType('resource')
      .filter((entry) => /\/api\/projects\/[\w-]+$/.test(entry.name))
      .map(({ duration }) => duration),
  );
  return {
    drawMsMedian: median(draws)!,
    drawMsWorst: Math.max(...draws),
    editMs: median(edits)!,
    openMs,
    saveMs: median(saves.slice(1))!,
  };
}
