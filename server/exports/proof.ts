import { createHash } from 'node:crypto';
import { stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { ExportProof, ProofFrame } from '@hone/core/api';
import { deinterlacing, type SourceFacts } from '@hone/core/media';
import {
  exportSources,
  layerFilters,
  layerTime,
  proofFrames,
  sizedLayer,
  type RenderAssets,
  type RenderCommand,
  type ExportGraph,
  type Layer,
  type SizedLayer,
} from '@hone/core/render';
import { nearestFrame, nearestStamp, toNumber } from '@hone/core/time';
import { pictureStamps } from '../ffmpeg/probe.js';
import { plainFile } from '../ffmpeg/input.js';
import { decodeThrough } from '../ffmpeg/decode-through.js';
import { pickFrame, type FramePick } from '../ffmpeg/frame-pick.js';
import { fileArgument, runFfmpeg, type FfmpegTools } from '../ffmpeg/process.js';
import { contentHash } from '../media/hash.js';
import type { SourceRow } from '../media/source-store.js';

interface ProofInput {
  readonly graph: ExportGraph;
  readonly command: RenderCommand;
  readonly assets: RenderAssets;
  readonly sources: ReadonlyMap<string, SourceRow>;
  readonly exported: string;
  /** Folder for temporary files. */
  readonly scratch: string;
  readonly tools: FfmpegTools;
  readonly signal: AbortSignal;
  progress(done: number): void;
}

/**
 * Gathers the evidence that an export shows the originals. The frames are compared along another way than the export
 * took: each is looked up in the original by its number and set beside the frame of the file that was written, which is
 * decoded from its beginning to its end for it.
 * @throws Error in a sentence when the file is damaged, has another number of frames, or shows something else
 */
export async function proofOf(input: ProofInput): Promise<ExportProof> {
  const { graph, command, sources, exported, signal } = input;
  const originals = exportSources(graph).map((id) => sources.get(id)!);
  const drawings = command.drawings.map((_, number) => input.assets.drawingFile(number));
  const allowed = new Set([...originals.map(({ path }) => path), ...drawings].map(fileArgument));
  // Frames that were rendered by another program of the same export.
  allowed.add('pipe:0');
  const args = [...command.args, ...command.renders.flat()];
  const opened = args.filter((_, index) => args[index - 1] === '-i');
  const stamps = new StampReader(input);
  const chosen = proofFrames(graph.graph);
  const picked = join(input.scratch, 'picked.nut');
  const frameCount = await pickExported(
    input,
    chosen.map(({ frame }) => frame),
    picked,
  );
  const frames: ProofFrame[] = [];
  for (const [place, { frame, reason }] of chosen.entries()) {
    const compared = await compareFrame(input, frame, { picked, place }, stamps);
    if (compared.ssim < LOWEST_SSIM) throw unlike(frame, compared);
    frames.push({ ...compared, frame, reason });
    input.progress(DECODED + ((1 - DECODED) * frames.length) / chosen.length);
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

/** Share of a proof's work that decoding the export is. */
const DECODED = 0.5;
/** A frame that is less like its original shows something else; the heaviest compression on offer stays well above. */
const LOWEST_SSIM = 0.7;

function unlike(frame: number, { clipName, ssim }: Pick<ProofFrame, 'clipName' | 'ssim'>): Error {
  const from = clipName ? `the original "${clipName}"` : 'the empty timeline';
  return new Error(
    `Frame ${frame} of the export is not like ${from} (SSIM ${ssim.toFixed(2)}; at least ${LOWEST_SSIM} is wanted), so the file was not kept. The original may have been replaced meanwhile, or is damaged there. Look at it, then export again.`,
  );
}

/**
 * Decodes the whole export and keeps the frames of these numbers, without loss. They are counted: seeking lands beside
 * them in some formats.
 * @returns how many frames the export has
 */
async function pickExported(
  { exported, graph: { graph }, tools, signal, progress }: ProofInput,
  numbers: readonly number[],
  picked: string,
): Promise<number> {
  const wanted = sumOf([...new Set(numbers)].map((frame) => `eq(n\\,${frame})`));
  const { frames, faults } = await decodeThrough(tools.ffmpeg, plainFile(exported), {
    signal,
    onFrame: (frame) => progress((DECODED * frame) / graph.length),
    outputs: [
      ...['-map', '0:v:0', '-vf', `select=${wanted}`, '-fps_mode', 'passthrough'],
      ...['-c:v', 'ffv1', '-f', 'nut', fileArgument(picked)],
    ],
  });
  if (faults.length) {
    throw new Error(`The export came out damaged (${faults[0]}), so it was not kept. Export again.`);
  }
  if (frames === graph.length) return frames;
  throw new Error(
    `The export has ${frames} frames where the timeline has ${graph.length}, so it was not kept. Report this.`,
  );
}

/**
 * The sum of terms as an expression of ffmpeg, halved again and again: its parser takes no more than a hundred terms in one
 * sum (libavutil/eval.c), and a timeline of many cuts has more.
 */
function sumOf(terms: readonly string[]): string {
  if (terms.length < 2) return terms[0] ?? '0';
  const half = terms.length >> 1;
  return `(${sumOf(terms.slice(0, half))}+${sumOf(terms.slice(half))})`;
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
  { graph: { graph, delivery }, assets, sources, tools, signal }: ProofInput,
  frame: number,
  { picked, place }: { readonly picked: string; readonly place: number },
  stamps: StampReader,
): Promise<Pick<ProofFrame, 'clipName' | 'sourceSeconds' | 'ssim'>> {
  const { width, height } = delivery.size;
  const layers = graph.stretches.find(({ from, to }) => from <= frame && frame < to)?.layers ?? [];
  const args = ['-i', fileArgument(picked)];
  const filters = [`[0:v]select='eq(n,${place})',trim=end_frame=1,setpts=N[made]`];
  let first: { clipName: string; sourceSeconds: number } | undefined;
  const sized: SizedLayer[] = [];
  const drawings: string[] = [];
  let inputCount = 1;
  for (const [index, layer] of layers.entries()) {
    const source = sources.get(layer.sourceId)!;
    const { pick, seconds } = await originalFrame(source, layer, frame, graph.rate, stamps);
    first = { clipName: source.name, sourceSeconds: seconds };
    args.push(...pick.open);
    // Fields are put together before anything is dropped: the frame beside it belongs to them.
    const one = `${deinterlacing(source.facts!.picture!.scan)}${pick.select},trim=end_frame=1`;
    const piece = { name: `layer${index}`, rate: graph.rate, at: frame - layer.clipStart, frames: 1 };
    const input = `${inputCount++}:v`;
    const made = sizedLayer(input, one, layer, source.facts!, delivery.size, piece, {
      ...assets,
      drawing: (svg) => {
        drawings.push(svg);
        args.push('-f', 'svg_pipe', '-i', fileArgument(assets.drawingFile(-drawings.length)));
        return `${inputCount++}:v`;
      },
    });
    filters.push(...made.filters);
    sized.push(made.layer);
  }
  for (const [index, svg] of drawings.entries()) await writeFile(assets.drawingFile(-index - 1), svg);
  const newBase = (): string => {
    filters.push(`color=c=black:s=${width}x${height},trim=end_frame=1,format=yuv420p,setpts=N[base]`);
    return 'base';
  };
  const put = layerFilters(sized, newBase, { width, height, from: frame, count: 1, rate: graph.rate }, 'put');
  filters.push(...put.filters, `[made][${put.label}]ssim`);
  const command = [
    '-v',
    'info',
    '-copyts',
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

// How a frame of an original is got at by its number.
async function originalFrame(
  source: SourceRow,
  layer: Layer,
  frame: number,
  rate: ExportGraph['graph']['rate'],
  stamps: StampReader,
): Promise<{ pick: FramePick; seconds: number }> {
  const facts: SourceFacts = source.facts!;
  const picture = facts.picture!;
  const time = layerTime(layer, frame, rate);
  const start = toNumber(facts.pictureStart);
  if (picture.constantRate) {
    const perSecond = toNumber(picture.rate);
    const index = Math.min(nearestFrame(time, picture.rate), picture.frameCount - 1);
    const seconds = index / perSecond;
    return { pick: pickFrame(source, start + seconds, 1 / perSecond), seconds };
  }
  const all = await stamps.get(source);
  const index = nearestStamp(toNumber(time) + start, all);
  const at = all[index]!;
  const step = index > 0 ? at - all[index - 1]! : 1;
  return { pick: pickFrame(source, at, step), seconds: at - start };
}
