import { createHash } from 'node:crypto';
import { stat, writeFile } from 'node:fs/promises';
import type { ExportProof, ProofFrame } from '@hone/core/api';
import { deinterlacing, type SourceFacts } from '@hone/core/media';
import {
  exportSources,
  layerFilters,
  layerTime,
  proofFrames,
  sizedLayer,
  type ExportAssets,
  type ExportCommand,
  type ExportGraph,
  type Layer,
  type SizedLayer,
} from '@hone/core/render';
import { nearestFrame, nearestStamp, toNumber } from '@hone/core/time';
import { pictureStamps } from '../ffmpeg/probe.js';
import { inputArguments } from '../ffmpeg/input.js';
import { fileArgument, runFfmpeg, type FfmpegTools } from '../ffmpeg/process.js';
import { contentHash } from '../media/hash.js';
import type { SourceRow } from '../media/source-store.js';

interface ProofInput {
  readonly graph: ExportGraph;
  readonly command: ExportCommand;
  readonly assets: ExportAssets;
  readonly sources: ReadonlyMap<string, SourceRow>;
  readonly exported: string;
  readonly frameCount: number;
  readonly tools: FfmpegTools;
  readonly signal: AbortSignal;
  progress(done: number): void;
}

/**
 * Gathers the evidence that an export shows the originals. The frames are compared along another way than the export
 * took: each is looked up in the original by its number and set beside the frame of the file that was written.
 */
export async function proofOf(input: ProofInput): Promise<ExportProof> {
  const { graph, command, sources, exported, frameCount, signal } = input;
  const originals = exportSources(graph).map((id) => sources.get(id)!);
  const drawings = command.drawings.map((_, number) => input.assets.drawingFile(number));
  const allowed = new Set([...originals.map(({ path }) => path), ...drawings].map(fileArgument));
  const opened = command.args.filter((_, index) => command.args[index - 1] === '-i');
  const stamps = new StampReader(input);
  const chosen = proofFrames(graph.graph);
  const frames: ProofFrame[] = [];
  for (const { frame, reason } of chosen) {
    frames.push({ ...(await compareFrame(input, frame, stamps)), frame, reason });
    input.progress(frames.length / chosen.length);
  }
  return {
    originals: originals.map(({ id, name, bytes, contentHash: sha256 }) => ({
      sourceId: id,
      name,
      bytes,
      sha256: sha256 ?? '',
    })),
    otherInputs: [...new Set(opened.filter((path) => !allowed.has(path)))],
    graphSha256: createHash('sha256').update(JSON.stringify(graph)).digest('hex'),
    filters: command.filters,
    frames,
    frameCount,
    expectedFrameCount: graph.graph.length,
    bytes: (await stat(exported)).size,
    sha256: await contentHash(exported, signal),
  };
}

/** Time stamps of sources with a varying rate, read once. */
class StampReader {
  private readonly read = new Map<string, Promise<number[]>>();

  constructor(private readonly input: ProofInput) {}

  get(source: SourceRow): Promise<number[]> {
    const known = this.read.get(source.id) ?? pictureStamps(this.input.tools.ffprobe, source);
    this.read.set(source.id, known);
    return known;
  }
}

async function compareFrame(
  { graph: { graph, delivery }, assets, sources, exported, tools, signal }: ProofInput,
  frame: number,
  stamps: StampReader,
): Promise<Pick<ProofFrame, 'clipName' | 'sourceSeconds' | 'ssim'>> {
  const { width, height } = delivery.size;
  const layers = graph.stretches.find(({ from, to }) => from <= frame && frame < to)?.layers ?? [];
  const rate = toNumber(graph.rate);
  const args = ['-ss', justBefore(frame / rate, 1 / rate), '-i', fileArgument(exported)];
  const filters = ['[0:v]trim=end_frame=1,setpts=N[made]'];
  filters.push(`color=c=black:s=${width}x${height},trim=end_frame=1,format=yuv420p,setpts=N[base]`);
  let first: { clipName: string; sourceSeconds: number } | undefined;
  const sized: SizedLayer[] = [];
  const drawings: string[] = [];
  let inputCount = 1;
  for (const [index, layer] of layers.entries()) {
    const source = sources.get(layer.sourceId)!;
    const { seek, seconds } = await originalFrame(source, layer, frame, graph.rate, stamps);
    first = { clipName: source.name, sourceSeconds: seconds };
    args.push('-ss', seek, ...inputArguments(source));
    const picked = `${deinterlacing(source.facts!.picture!.scan)}trim=end_frame=1`;
    const piece = { name: `layer${index}`, rate: graph.rate, at: frame - layer.clipStart, frames: 1 };
    const input = `${inputCount++}:v`;
    const made = sizedLayer(input, picked, layer, source.facts!, delivery.size, piece, {
      ...assets,
      drawing: (svg) => {
        drawings.push(svg);
        args.push('-i', fileArgument(assets.drawingFile(-drawings.length)));
        return `${inputCount++}:v`;
      },
    });
    filters.push(...made.filters);
    sized.push(made.layer);
  }
  for (const [index, svg] of drawings.entries()) await writeFile(assets.drawingFile(-index - 1), svg);
  const put = layerFilters(sized, 'base', { width, height, from: frame, count: 1, rate: graph.rate }, 'put');
  filters.push(...put.filters, `[made][${put.label}]ssim`);
  const command = [
    '-v',
    'info',
    ...args,
    '-filter_complex',
    filters.join(';'),
    '-frames:v',
    '1',
    '-f',
    'null',
    '-',
  ];
  const errors = await runFfmpeg(tools.ffmpeg, command, { signal });
  const ssim = /SSIM.* All:([\d.]+)/.exec(errors)?.[1];
  if (ssim === undefined)
    throw new Error(`Frame ${frame} of the export could not be compared with the original.`);
  return { clipName: first?.clipName ?? '', sourceSeconds: first?.sourceSeconds ?? null, ssim: Number(ssim) };
}

// Where to seek so that a frame of an original is the next one that is decoded.
async function originalFrame(
  source: SourceRow,
  layer: Layer,
  frame: number,
  rate: ExportGraph['graph']['rate'],
  stamps: StampReader,
): Promise<{ seek: string; seconds: number }> {
  const facts: SourceFacts = source.facts!;
  const picture = facts.picture!;
  const time = layerTime(layer, frame, rate);
  if (picture.constantRate) {
    const perSecond = toNumber(picture.rate);
    const index = Math.min(nearestFrame(time, picture.rate), picture.frameCount - 1);
    return { seek: justBefore(index / perSecond, 1 / perSecond), seconds: index / perSecond };
  }
  const all = await stamps.get(source);
  const start = toNumber(facts.pictureStart);
  const index = nearestStamp(toNumber(time) + start, all);
  const at = all[index]!;
  const step = index > 0 ? at - all[index - 1]! : at;
  return { seek: justBefore(at - start, step), seconds: at - start };
}

const justBefore = (seconds: number, step: number): string => Math.max(0, seconds - step / 2).toFixed(6);
