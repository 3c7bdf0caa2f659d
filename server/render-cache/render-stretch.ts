import { mkdir, mkdtemp, readFile, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { RenderRequest } from '@hone/core/api';
import { contentOf, findCached, graphAt, stampsOf, uncovered } from '@hone/core/cache';
import { planarBytes, type CacheFormat } from '@hone/core/media';
import {
  factsIn,
  renderGraph,
  sourcesOf,
  stretchCommand,
  stretchesIn,
  type RenderGraph,
} from '@hone/core/render';
import { toNumber } from '@hone/core/time';
import { mergeRanges, type FrameRange, type Timeline } from '@hone/core/timeline';
import { effectAssets } from '../effects/effect-assets.js';
import type { TableStore } from '../effects/table-store.js';
import { decodeThrough } from '../ffmpeg/decode-through.js';
import { inputArguments, plainFile } from '../ffmpeg/input.js';
import type { FfmpegHardware, FfmpegPaths } from '../ffmpeg/hardware.js';
import { ToolError, type FfmpegTools } from '../ffmpeg/process.js';
import { runRender } from '../ffmpeg/run-render.js';
import type { JobHandler } from '../jobs/queue.js';
import { exactState } from '../media/identity.js';
import { sourceOf, type SourceRow, type SourceStore } from '../media/source-store.js';
import type { MemoryLimits } from '../rig/limits.js';
import type { RigStore } from '../rig/rig-store.js';
import { formatFor } from './format.js';
import { stretchOf, type StretchStore } from './stretch-store.js';

/** Length of a file of the cache: what an edit invalidates and a cancelled render loses at most, seconds. */
const PIECE_SECONDS = 4;

/** Payload of a render: the timeline as it was when it was asked for. */
export interface StretchOrder extends RenderRequest {
  readonly timeline: Timeline;
}

interface StretchParts {
  readonly sources: SourceStore;
  readonly stretches: StretchStore;
  readonly tables: TableStore;
  readonly limits: MemoryLimits;
  readonly hardware: FfmpegHardware;
  readonly rigs: RigStore;
  readonly tools: FfmpegTools;
  /** Folder for temporary files. */
  readonly scratch: string;
}

/**
 * Renders parts of a timeline into the render cache, as far as they are not there yet. What is complete when it is
 * cancelled stays.
 */
export function stretchHandler(parts: StretchParts): JobHandler {
  const { sources, stretches, hardware, scratch } = parts;
  return {
    kind: 'stretch',
    lane: 'heavy',
    priority: 4,
    rangesOf: (payload) => (payload as StretchOrder).ranges,
    async run({ job, payload, signal, progress }) {
      const order = payload as StretchOrder;
      const { projectId } = job;
      const known = new Map((await sources.list(projectId)).map((row) => [row.id, row]));
      const factsOf = factsIn(known.values());
      const graph = graphAt(renderGraph(order.timeline, factsOf), order.point, factsOf);
      const missingIn = async (ranges: readonly FrameRange[]): Promise<FrameRange[]> =>
        missingRanges(graph, { ...order, ranges }, [...known.values()], await stretches.list());
      const missing = await missingIn(order.ranges);
      const frames = missing.reduce((sum, { from, to }) => sum + to - from, 0);
      let done = 0;
      const made = new Set<string>(order.keepIds);
      await mkdir(scratch, { recursive: true });
      const pictures = { size: order.size, framesPerSecond: toNumber(graph.rate) };
      const format = await formatFor(pictures, parts);
      const renderInto = async (range: FrameRange, paths: FfmpegPaths): Promise<void> => {
        const folder = await mkdtemp(join(scratch, 'stretch-'));
        const { size } = order;
        const about = { projectId, graph, known, folder, signal, size, made, format };
        const render: RangeRender = { ...parts, ...about, paths };
        try {
          await renderRange(render, range, (rendered) => progress((done + rendered) / frames));
        } finally {
          await rm(folder, { recursive: true, force: true });
        }
      };
      for (const range of missing) {
        await hardware.work(async (paths) => {
          // What an attempt before it completed is there.
          for (const part of await missingIn([range])) await renderInto(part, paths);
        });
        done += range.to - range.from;
      }
    },
  };
}

/** Parts of what was ordered that show something and are not in the cache. */
function missingRanges(
  graph: RenderGraph,
  order: Pick<StretchOrder, 'ranges' | 'size'>,
  rows: readonly SourceRow[],
  kept: Awaited<ReturnType<StretchStore['list']>>,
): FrameRange[] {
  const uses = findCached(graph, kept.map(stretchOf), stampsOf(rows.map(sourceOf)), order.size);
  const shown = mergeRanges(order.ranges).flatMap((range) =>
    mergeRanges(stretchesIn(graph, range).filter(({ layers }) => layers.length)),
  );
  return shown.flatMap((range) => uncovered(range, uses));
}

interface RangeRender extends StretchParts {
  readonly paths: FfmpegPaths;
  readonly format: CacheFormat;
  readonly projectId: string;
  readonly graph: RenderGraph;
  readonly known: ReadonlyMap<string, SourceRow>;
  /** Folder for what is rendered until it is complete. */
  readonly folder: string;
  readonly signal: AbortSignal;
  readonly size: RenderRequest['size'];
  /** Stretches that stay: those at the playhead, and those that this render made. */
  readonly made: Set<string>;
}

async function renderRange(
  render: RangeRender,
  range: FrameRange,
  onFrame: (frame: number) => void,
): Promise<void> {
  const { graph, known, tables, limits, tools, paths, folder, signal, size, format } = render;
  const part: RenderGraph = { ...graph, stretches: stretchesIn(graph, range), sound: [] };
  const originals = await Promise.all(
    sourcesOf(part).map((id) => render.sources.readable(known.get(id)?.id ?? id)),
  );
  const before = await Promise.all(originals.map(exactState));
  const byId = new Map(originals.map((row) => [row.id, row]));
  const threads = await limits.decoderArguments();
  const assets = {
    ...(await effectAssets(part, tables, folder)),
    inputOf: (id: string) => {
      const row = byId.get(id)!;
      return [...paths.decoding(row.facts?.picture?.codec), ...threads, ...inputArguments(row)];
    },
    factsOf: factsIn(originals),
  };
  const pieceFrames = Math.max(1, Math.round(PIECE_SECONDS * toNumber(graph.rate)));
  const listFile = join(folder, 'list.csv');
  const how = { encoder: format.encoder(paths.encoder), muxer: format.muxer };
  const command = stretchCommand(part, { ...range, ...how, size, pieceFrames, listFile }, assets);
  const started = performance.now();
  let taken = 0;
  const takePieces = async (): Promise<void> => {
    const names = await completeFiles(listFile);
    for (; taken < names.length; taken++) {
      const after = await Promise.all(originals.map(exactState));
      if (after.some((state, at) => state !== before[at]))
        throw new Error('An original changed while it was rendered. Render the stretch again.');
      const from = range.from + taken * pieceFrames;
      const piece = { from, to: Math.min(range.to, from + pieceFrames) };
      const madeInMs = (performance.now() - started) / (taken + 1);
      await takePiece(render, join(folder, names[taken]!), piece, madeInMs);
    }
  };
  let taking = Promise.resolve();
  const ended = new AbortController();
  // ffmpeg replaces a number in the pattern, and takes two per cent signs for one.
  const pattern = `${folder.replaceAll('%', '%%')}/%05d.${format.ending}`;
  try {
    await runRender(command, pattern, {
      ...{ ffmpeg: tools.ffmpeg, assets, folder, signal: AbortSignal.any([signal, ended.signal]) },
      onFrame: (frame) => {
        onFrame(frame);
        taking = taking.then(takePieces);
        // What follows a piece that was not taken would be rendered for nothing.
        taking.catch(() => ended.abort());
      },
    });
  } finally {
    await taking.then(takePieces);
  }
}

/** Names of the files that are complete, in order. */
async function completeFiles(listFile: string): Promise<string[]> {
  const text = await readFile(listFile, 'utf8').catch(() => '');
  const lines = text.slice(0, text.lastIndexOf('\n') + 1).split('\n');
  return lines.filter(Boolean).map((line) => line.split(',')[0]!);
}

/** Checks a file and takes it into the cache. */
async function takePiece(
  { stretches, tools, projectId, graph, known, size, made, format }: RangeRender,
  file: string,
  piece: FrameRange,
  madeInMs: number,
): Promise<void> {
  const { size: bytes } = await stat(file);
  const { frames, faults } =
    format.muxer === 'rawvideo'
      ? { frames: bytes / planarBytes(size.width, size.height), faults: [] }
      : await decodeThrough(tools.ffmpeg, plainFile(file));
  const wanted = piece.to - piece.from;
  if (frames !== wanted || faults.length)
    throw new ToolError(
      `A rendered stretch has ${frames} of ${wanted} frames${faults[0] ? ` (${faults[0]})` : ''}, so it is not used. Render it again.`,
      '',
    );
  const content = contentOf(graph, piece, stampsOf([...known.values()].map(sourceOf)));
  if (!content) throw new Error('A source of the stretch is not in the project any more.');
  const row = await stretches.take(file, {
    ...{ projectId, rate: graph.rate, ...size, frameCount: frames, content },
    ...{ format: format.id, bytes, madeInMs },
  });
  made.add(row.id);
  // What this render made was asked for last, so it stays.
  if (await stretches.makeRoom(made)) return;
  throw new Error('The render cache is full. Give it more room, or render fewer frames; what is done stays.');
}
