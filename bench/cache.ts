import { execFile } from 'node:child_process';
import { mkdir, mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { performance } from 'node:perf_hooks';
import { setTimeout as sleep } from 'node:timers/promises';
import { promisify } from 'node:util';
import { median } from 'd3-array';
import { DEMO_PROJECT, DEMO_SHOTS } from '@hone/demo';
import { PLAINEST, previewPixels } from '@hone/core/levers';
import { pacingSummary } from '@hone/core/playback';
import { cacheFormat, PROCESSOR_ENCODER } from '@hone/core/media';
import { factsIn, renderGraph, stretchCommand } from '@hone/core/render';
import { rational } from '@hone/core/time';
import { timelineLength, type FrameSize, type Timeline } from '@hone/core/timeline';
import { effectAssets, type RunningServer } from '@hone/server';
import { buildPage, playTimeline, withPage } from './browser.js';
import { beladyBound, byteHitRate, zipfTrace } from './cache-traces.js';
import { effect, pictureTrack, UHD, type Cut } from './case-tracks.js';
import { askToRender, startWithFootage, waitForJobs } from './footage.js';
import type { BenchOptions } from './options.js';

const run = promisify(execFile);
const { mill, pit } = DEMO_SHOTS;
const TUNING = { ...PLAINEST, playScale: 4 } as const;
/** Renders by Hone and by ffmpeg alone, in turns. */
const TURNS = 3;
/** Shares of the trace's distinct bytes that a cache has room for. */
const CAPACITIES = [0.1, 0.25, 0.5];

/**
 * A stretch of two 4K layers with effects, played live and from the render cache; how fast it is rendered beside ffmpeg with
 * the same graph, how soon playback stops the render, and how near eviction comes to what no cache can exceed.
 */
export async function cache({
  seed = Math.floor(2 ** 31 * Math.random()),
}: BenchOptions): Promise<Record<string, number>> {
  console.log(`seed ${seed}`);
  await buildPage();
  const server = await startWithFootage(DEMO_PROJECT);
  try {
    await waitForJobs(server, DEMO_PROJECT);
    const timeline = await heavyTimeline(server);
    const { projects, stretches } = server.services;
    const { revision, delivery } = await projects.get(DEMO_PROJECT);
    await projects.change(DEMO_PROJECT, { revision, timeline, delivery });
    const size = previewPixels(timeline.size, TUNING, 'playing');
    const clear = async (): Promise<void> => stretches.remove((await stretches.list()).map(({ id }) => id));
    const play = (): Promise<number> =>
      withPage(server.url, async (page) => {
        const { log } = await playTimeline(page, DEMO_PROJECT, timeline, TUNING);
        const { shown, wanted } = pacingSummary(log, timeline.rate);
        return 1 - shown / wanted;
      });
    await clear();
    const droppedLive = await play();
    const ratios: number[] = [];
    for (let turn = 0; turn < TURNS; turn++) {
      // ffmpeg before and after, since the speed of the machine itself changes meanwhile.
      const beforeMs = await timed(() => renderBare(server, timeline, size));
      await clear();
      const ownMs = await timed(() => render(server, timeline, size));
      const bareMs = (beforeMs + (await timed(() => renderBare(server, timeline, size)))) / 2;
      console.log(`rendered in ${Math.round(ownMs)} ms, by ffmpeg alone in ${Math.round(bareMs)} ms`);
      ratios.push(bareMs / ownMs);
    }
    const droppedCached = await play();
    await clear();
    const interruptMs = await timeToStop(server, timeline, size);
    const trace = zipfTrace(seed);
    const distinct = new Map(trace.map(({ id, bytes }) => [id, bytes]));
    const whole = [...distinct.values()].reduce((sum, bytes) => sum + bytes, 0);
    const byteHits = CAPACITIES.map(
      (share) => byteHitRate(trace, share * whole) / beladyBound(trace, share * whole),
    );
    return {
      vsFfmpeg: median(ratios)!,
      droppedLive,
      droppedCached,
      byteHitVsBelady: Math.min(...byteHits),
      interruptMs,
    };
  } finally {
    await server.stop();
  }
}

async function heavyTimeline({ services }: RunningServer): Promise<Timeline> {
  const sources = await services.sources.list(DEMO_PROJECT);
  const cut = (name: string, second: number, effects: Cut['effects']): Cut => ({
    ...{ name, sourceId: sources.find((each) => each.name === name)!.id, second, frames: 144, effects },
  });
  const blur = effect('blur', { radius: 1 });
  return {
    ...{ rate: rational(24), startFrame: 0, size: UHD },
    tracks: [
      pictureTrack('below', [cut(mill, 1, [blur])]),
      pictureTrack('above', [
        cut(pit, 0, [effect('exposure', { stops: 0.3 }), effect('transform', { opacity: 60 })]),
      ]),
    ],
  };
}

const ask = (server: RunningServer, timeline: Timeline, size: FrameSize): Promise<string> =>
  askToRender(server, DEMO_PROJECT, { from: 0, to: timelineLength(timeline) }, size);

async function render(server: RunningServer, timeline: Timeline, size: FrameSize): Promise<void> {
  const { state, problem } = await server.services.queue.finished(await ask(server, timeline, size));
  if (state !== 'done') throw new Error(`The render ended as ${state}: ${problem}`);
}

/** The same graph with the same encoder, by one run of ffmpeg and with nothing around it. */
async function renderBare({ services }: RunningServer, timeline: Timeline, size: FrameSize): Promise<void> {
  const rows = new Map((await services.sources.list(DEMO_PROJECT)).map((row) => [row.id, row]));
  const factsOf = factsIn(rows.values());
  const graph = renderGraph(timeline, factsOf);
  const folder = await mkdtemp(join(tmpdir(), 'hone-bench-cache-'));
  await mkdir(folder, { recursive: true });
  const threads = await services.limits.decoderArguments();
  const assets = {
    ...(await effectAssets(graph, services.tables, folder)),
    inputOf: (id: string) => [...threads, '-i', rows.get(id)!.path],
    factsOf,
  };
  const range = { from: 0, to: graph.length };
  const listFile = join(folder, 'list.csv');
  const { muxer, encoder } = cacheFormat('h264');
  const how = { size, pieceFrames: graph.length, listFile, muxer, encoder: encoder(PROCESSOR_ENCODER) };
  const command = stretchCommand(graph, { ...range, ...how }, assets);
  for (const [number, svg] of command.drawings.entries()) await writeFile(assets.drawingFile(number), svg);
  await run(services.config.ffmpeg, ['-v', 'error', '-y', ...command.args, join(folder, '%d.mp4')]);
  await rm(folder, { recursive: true });
}

async function timed(work: () => Promise<void>): Promise<number> {
  const started = performance.now();
  await work();
  return performance.now() - started;
}

/** From the report of playback until no program of a render runs any more, ms. */
async function timeToStop(server: RunningServer, timeline: Timeline, size: FrameSize): Promise<number> {
  const job = await ask(server, timeline, size);
  while (!(await statesOfPrograms()).some((state) => state !== 'T')) await sleep(20);
  // In the middle of its work.
  await sleep(1000);
  const started = performance.now();
  await fetch(`${server.url}/api/sampling`, { method: 'POST' });
  while ((await statesOfPrograms()).some((state) => state !== 'T')) await sleep(2);
  const ms = performance.now() - started;
  await server.services.queue.cancel(job);
  return ms;
}

/** States of the programs of ffmpeg that this process started: T is stopped (proc_pid_stat(5)). */
async function statesOfPrograms(): Promise<string[]> {
  const all = await Promise.all(
    (await readdir('/proc')).map((pid) => readFile(`/proc/${pid}/stat`, 'utf8').catch(() => '')),
  );
  return all.flatMap((line) => {
    const [, name, state, parent] = /^\d+ \((.*)\) (\S) (\d+)/.exec(line) ?? [];
    return Number(parent) === process.pid && name === 'ffmpeg' && state !== 'Z' ? [state!] : [];
  });
}
