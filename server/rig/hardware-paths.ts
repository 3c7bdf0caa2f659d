import { mkdir, mkdtemp, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { figureOf, type Figure, type HardwarePath } from '@hone/core/machine';
import { GRAPHICS_ENCODERS, PROCESSOR_ENCODER, type IntraEncoder } from '@hone/core/media';
import { STRETCH_FACTOR } from '@hone/core/render';
import { inputArguments } from '../ffmpeg/input.js';
import { fileArgument, runFfmpeg, runTool, ToolError } from '../ffmpeg/process.js';
import type { SourceRow } from '../media/source-store.js';
import { decodeRate, type FfmpegMeasurement } from './ffmpeg-measurement.js';

interface PathMeasurement extends FfmpegMeasurement {
  readonly ffprobe: string;
  /** Threads of a decoder on the processor. */
  readonly threads: number;
  /** Folder for temporary files. */
  readonly scratch: string;
}

/**
 * Hardware paths that ffmpeg was built with, each tried with real frames and measured beside the processor.
 * @param samples the heaviest source of each kind, the largest first
 */
export async function hardwarePaths(
  samples: readonly SourceRow[],
  how: PathMeasurement,
): Promise<HardwarePath[]> {
  return [...(await decodePaths(samples, how)), ...(await encodePaths(how))];
}

/** Pixel formats of frames that stay in the hardware, where they are not named as the method is. */
const HARDWARE_FORMATS: Readonly<Record<string, string>> = {
  drm: 'drm_prime',
  d3d11va: 'd3d11',
  dxva2: 'dxva2_vld',
  videotoolbox: 'videotoolbox_vld',
};

async function decodePaths(samples: readonly SourceRow[], how: PathMeasurement): Promise<HardwarePath[]> {
  const { output: listed } = await runTool(how.ffmpeg, ['-v', 'error', '-hwaccels'], how);
  const methods = listed
    .split('\n')
    .slice(1)
    .map((line) => line.trim())
    .filter(Boolean);
  const ofCodecs = new Map(samples.toReversed().map((row) => [row.facts!.picture!.codec, row]));
  const paths: HardwarePath[] = [];
  for (const [codec, row] of ofCodecs) {
    let processor: Figure | null | undefined;
    for (const name of methods) {
      const about = { use: 'decode', name, codec } as const;
      const failure = await failureOf(() => decodeInside(row, name, how));
      const rate = failure === undefined ? await decodeRate(row, how.threads, how, ['-hwaccel', name]) : null;
      if (rate) processor ??= await decodeRate(row, how.threads, how);
      paths.push(
        rate
          ? { ...about, ...working(rate, processor) }
          : { ...about, ...broken(failure ?? 'ffmpeg gives out no frame of it') },
      );
    }
  }
  return paths;
}

/**
 * Decodes some frames that stay in the hardware until they are downloaded. ffmpeg silently continues in software where a
 * method is not there; downloading fails then, and tells.
 */
async function decodeInside(
  row: SourceRow,
  name: string,
  { ffmpeg, signal }: PathMeasurement,
): Promise<void> {
  const format = row.facts!.picture!.bitDepth > 8 ? 'p010le' : 'nv12';
  const method = ['-hwaccel', name, '-hwaccel_output_format', HARDWARE_FORMATS[name] ?? name];
  const output = ['-map', '0:v:0', '-frames:v', '3', '-vf', `hwdownload,format=${format}`, '-f', 'null', '-'];
  const args = ['-hide_banner', '-v', 'verbose', '-nostdin', ...method, ...inputArguments(row), ...output];
  await runTool(ffmpeg, args, { signal });
}

/** What encoders are tried with: the size of a usual preview, moving, with some noise, as footage has. */
const TRIED_SIZE = '960x540';
const TRIED_SECONDS = 2;
const TRIED_FRAMES = 24 * TRIED_SECONDS;
const TRIED_PICTURE = `testsrc2=s=${TRIED_SIZE}:r=24:d=${TRIED_SECONDS},noise=alls=6:allf=t,format=yuv420p`;
/** Times that they are encoded, so that starting counts for little. */
const REPEATS = 5;
/** How much less like the original an encoder of hardware may be than the processor's, dB. */
const LESS_LIKE_DB = 1;

interface EncoderTrial extends PathMeasurement {
  /** Raw frames that are encoded. */
  readonly frames: readonly string[];
  readonly folder: string;
}

async function encodePaths(how: PathMeasurement): Promise<HardwarePath[]> {
  const { output: listed } = await runTool(how.ffmpeg, ['-v', 'error', '-encoders'], how);
  const there = GRAPHICS_ENCODERS.filter(({ name }) => new RegExp(`^ V\\S* ${name}\\s`, 'm').test(listed));
  if (there.length === 0) return [];
  await mkdir(how.scratch, { recursive: true });
  const folder = await mkdtemp(join(how.scratch, 'encoders-'));
  try {
    const raw = fileArgument(join(folder, 'tried.yuv'));
    const picture = ['-f', 'lavfi', '-i', TRIED_PICTURE];
    await runFfmpeg(how.ffmpeg, ['-v', 'error', ...picture, '-f', 'rawvideo', raw], how);
    const frames = ['-f', 'rawvideo', '-pix_fmt', 'yuv420p', '-s', TRIED_SIZE, '-framerate', '24', '-i', raw];
    const trial = { ...how, frames, folder };
    const processor = await tryEncoder(PROCESSOR_ENCODER, trial);
    const paths: HardwarePath[] = [];
    for (const encoder of there) {
      const about = { use: 'encode', name: encoder.name, codec: 'h264' } as const;
      let tried: TriedEncoder | undefined;
      const failure = await failureOf(async () => {
        tried = await tryEncoder(encoder, trial);
        requireLikeness(tried, processor);
      });
      const likeness = tried?.likeness;
      paths.push(
        failure === undefined
          ? { ...about, ...working(tried!.rate, processor.rate), likeness }
          : { ...about, ...broken(failure), likeness },
      );
    }
    return paths;
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

interface TriedEncoder {
  readonly rate: Figure;
  /** PSNR, dB. */
  readonly likeness: number;
}

/** @throws ToolError when pictures are less like the original than those of the processor */
function requireLikeness(tried: TriedEncoder, processor: TriedEncoder): void {
  if (tried.likeness >= processor.likeness - LESS_LIKE_DB) return;
  const [less, like] = [tried, processor].map(({ likeness }) => likeness.toFixed(1));
  throw new ToolError(`its pictures are ${less} dB like the original, those of the processor ${like}`, '');
}

/** Encodes as copies and cached stretches are. @throws ToolError when it does not, or pictures need each other */
async function tryEncoder(encoder: IntraEncoder, trial: EncoderTrial): Promise<TriedEncoder> {
  const { ffmpeg, ffprobe, frames, folder, rounds, disturbed, signal } = trial;
  const path = join(folder, `${encoder.name}.mp4`);
  const encode = async (repeats: number): Promise<number> => {
    const started = performance.now();
    await runFfmpeg(
      ffmpeg,
      [
        ...['-v', 'verbose', ...encoder.setUp, '-stream_loop', String(repeats - 1), ...frames],
        ...['-filter_complex', `[0:v]null${encoder.upload}[picture]`, '-map', '[picture]'],
        ...[...encoder.arguments(STRETCH_FACTOR), '-f', 'mp4', fileArgument(path)],
      ],
      { signal },
    );
    return performance.now() - started;
  };
  const rates: number[] = [];
  for (let round = 0; round < rounds; round++) {
    const [long, short] = [await encode(REPEATS), await encode(1)];
    rates.push((TRIED_FRAMES * (REPEATS - 1) * 1000) / Math.max(1, long - short));
  }
  const flags = ['-select_streams', 'v', '-show_entries', 'packet=flags', '-of', 'csv=p=0'];
  const { output } = await runTool(ffprobe, ['-v', 'error', ...flags, '-i', fileArgument(path)], {
    signal,
  });
  const pictures = output.split('\n').filter(Boolean);
  if (pictures.length !== TRIED_FRAMES)
    throw new ToolError(`${pictures.length} of ${TRIED_FRAMES} pictures came out`, '');
  if (!pictures.every((each) => each.startsWith('K')))
    throw new ToolError('its pictures do not stand alone', '');
  const compare = ['-filter_complex', '[0:v][1:v]psnr', '-f', 'null', '-'];
  const inputs = ['-i', fileArgument(path), ...frames];
  const told = await runFfmpeg(ffmpeg, ['-v', 'info', ...inputs, ...compare], { signal });
  const likeness = /PSNR.* average:([\d.]+)/.exec(told)?.[1];
  if (likeness === undefined) throw new ToolError('its pictures could not be compared', '');
  const method = `ffmpeg, ${TRIED_FRAMES * (REPEATS - 1)} pictures of ${TRIED_SIZE}`;
  const rate = figureOf(rates, { method, measuredAt: new Date().toISOString(), disturbed });
  return { rate, likeness: Number(likeness) };
}

const working = (
  framesPerSecond: Figure,
  processor: Figure | null | undefined,
): Omit<HardwarePath, 'use' | 'name' | 'codec' | 'likeness'> => ({
  ...{ works: true, reason: '', framesPerSecond },
  processorFramesPerSecond: processor ?? undefined,
});

const broken = (reason: string): Omit<HardwarePath, 'use' | 'name' | 'codec' | 'likeness'> => ({
  ...{ works: false, reason, framesPerSecond: undefined, processorFramesPerSecond: undefined },
});

/** Why work failed, in ffmpeg's words; undefined when it did not. */
async function failureOf(work: () => Promise<unknown>): Promise<string | undefined> {
  try {
    await work();
    return undefined;
  } catch (error) {
    if (!(error instanceof ToolError)) throw error;
    return reasonOf(error);
  }
}

// The first line that names a cause; what follows it only says that nothing came out.
function reasonOf({ output, message }: ToolError): string {
  const lines = (output || message).split('\n').map((line) => line.replace(/\[[^\]]*\] */, '').trim());
  const telling = lines.find((line) =>
    /(cannot|could not|failed|failure|unsupported|unable|unknown|invalid)/i.test(line),
  );
  return (telling ?? lines.filter(Boolean).at(-1) ?? 'no reason given').slice(0, 300);
}
