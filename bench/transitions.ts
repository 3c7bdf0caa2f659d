import { execFile } from 'node:child_process';
import { mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { performance } from 'node:perf_hooks';
import { promisify } from 'node:util';
import { median } from 'd3-array';
import { DEMO_PROJECT, DEMO_SHOTS } from '@hone/demo';
import {
  defaultDelivery,
  encoderArguments,
  exportCommand,
  exportGraph,
  factsIn,
  type RenderCommand,
} from '@hone/core/render';
import { rational } from '@hone/core/time';
import { timelineLength, TRANSITION_KINDS, type Timeline, type TransitionKind } from '@hone/core/timeline';
import { effectAssets, type RunningServer } from '@hone/server';
import { pictureTrack, UHD } from './case-tracks.js';
import { startWithFootage } from './footage.js';

const run = promisify(execFile);
const { mill, pit } = DEMO_SHOTS;
/** Frames of a transition on either side of its cut; the timeline is nothing else. */
const SIDE_FRAMES = 12;
const TURNS = 3;

/**
 * Transitions between two 4K clips as the export renders them: the graph alone, decoding included, beside the encoder of
 * the delivery alone, which is given the same frames. What is slower sets the pace of the export.
 */
export async function transitions(): Promise<Record<string, number>> {
  const server = await startWithFootage(DEMO_PROJECT);
  const folder = await mkdtemp(join(tmpdir(), 'hone-bench-transitions-'));
  try {
    const ratios: number[] = [];
    const graphMs: number[] = [];
    for (const kind of TRANSITION_KINDS) {
      const timeline = await crossing(server, kind);
      const { command, encoder } = await commandOf(server, timeline, folder);
      const graph = command.args.slice(0, command.args.length - encoder.length);
      const frames = join(folder, `${kind}.nut`);
      const ffmpeg = (args: readonly string[]): Promise<number> =>
        timed(() => run(server.services.config.ffmpeg, ['-v', 'error', '-y', ...args]));
      await ffmpeg([...graph, '-c:v', 'rawvideo', '-c:a', 'pcm_s16le', '-f', 'nut', frames]);
      const turns: { ratio: number; ms: number }[] = [];
      for (let turn = 0; turn < TURNS; turn++) {
        const before = await ffmpeg([...graph, '-f', 'null', '-']);
        const encoded = await ffmpeg(['-i', frames, ...encoder, join(folder, 'encoded')]);
        const after = await ffmpeg([...graph, '-f', 'null', '-']);
        const ms = (before + after) / 2;
        turns.push({ ratio: encoded / ms, ms: ms / timelineLength(timeline) });
        console.log(`${kind}: graph ${Math.round(ms)} ms, encoder ${Math.round(encoded)} ms`);
      }
      ratios.push(median(turns, ({ ratio }) => ratio)!);
      graphMs.push(median(turns, ({ ms }) => ms)!);
      await rm(frames);
    }
    return { vsEncoder: Math.min(...ratios), longestFrameMs: Math.max(...graphMs) };
  } finally {
    await rm(folder, { recursive: true, force: true });
    await server.stop();
  }
}

async function crossing({ services }: RunningServer, kind: TransitionKind): Promise<Timeline> {
  const sources = await services.sources.list(DEMO_PROJECT);
  const cuts = [mill, pit].map((name) => {
    const sourceId = sources.find((each) => each.name === name)!.id;
    return { name, sourceId, second: 1, frames: SIDE_FRAMES };
  });
  const track = pictureTrack('crossing', cuts, SIDE_FRAMES);
  return {
    ...{ rate: rational(24), startFrame: 0, size: UHD },
    tracks: [{ ...track, transitions: track.transitions!.map((each) => ({ ...each, kind })) }],
  };
}

async function commandOf(
  { services }: RunningServer,
  timeline: Timeline,
  folder: string,
): Promise<{ command: RenderCommand; encoder: string[] }> {
  const rows = new Map((await services.sources.list(DEMO_PROJECT)).map((row) => [row.id, row]));
  const factsOf = factsIn(rows.values());
  const delivery = defaultDelivery(UHD);
  const graph = exportGraph(timeline, delivery, factsOf);
  const threads = await services.limits.decoderArguments();
  const assets = {
    ...(await effectAssets(graph.graph, services.tables, folder)),
    inputOf: (id: string) => [...threads, '-i', rows.get(id)!.path],
    factsOf,
  };
  const command = exportCommand(graph, assets);
  for (const [number, svg] of command.drawings.entries()) await writeFile(assets.drawingFile(number), svg);
  return { command, encoder: encoderArguments(delivery, timeline.rate) };
}

async function timed(work: () => Promise<unknown>): Promise<number> {
  const started = performance.now();
  await work();
  return performance.now() - started;
}
