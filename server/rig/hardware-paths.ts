import { mkdir, mkdtemp, rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { Figure, HardwarePath } from '@hone/core/machine';
import { cacheFormat, GRAPHICS_ENCODERS, PROCESSOR_ENCODER } from '@hone/core/media';
import { inputArguments } from '../ffmpeg/input.js';
import { runTool, ToolError } from '../ffmpeg/process.js';
import type { SourceRow } from '../media/source-store.js';
import { framesToEncode, tryEncoder, type TriedEncoder } from './encoder-trial.js';
import { decodeRate, failureOf, type FfmpegMeasurement } from './ffmpeg-measurement.js';

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

/** How much less like the original an encoder of hardware may be than the processor's, dB. */
const LESS_LIKE_DB = 1;

async function encodePaths(how: PathMeasurement): Promise<HardwarePath[]> {
  const { output: listed } = await runTool(how.ffmpeg, ['-v', 'error', '-encoders'], how);
  const there = GRAPHICS_ENCODERS.filter(({ name }) => new RegExp(`^ V\\S* ${name}\\s`, 'm').test(listed));
  if (there.length === 0) return [];
  await mkdir(how.scratch, { recursive: true });
  const folder = await mkdtemp(join(how.scratch, 'encoders-'));
  try {
    const trial = await framesToEncode({ ...how, folder }, undefined);
    const format = cacheFormat('h264');
    const processor = await tryEncoder(format.encoder(PROCESSOR_ENCODER), format, 'processor', trial);
    const paths: HardwarePath[] = [];
    for (const encoder of there) {
      const about = { use: 'encode', name: encoder.name, codec: 'h264' } as const;
      let tried: TriedEncoder | undefined;
      const failure = await failureOf(async () => {
        tried = await tryEncoder(format.encoder(encoder), format, encoder.name, trial);
        requireLikeness(tried, processor);
      });
      const likeness = tried?.likeness ?? undefined;
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

/** @throws ToolError when pictures are less like the original than those of the processor */
function requireLikeness(tried: TriedEncoder, processor: TriedEncoder): void {
  const [less, like] = [tried, processor].map(({ likeness }) => likeness ?? Infinity) as [number, number];
  if (less >= like - LESS_LIKE_DB) return;
  throw new ToolError(
    `its pictures are ${less.toFixed(1)} dB like the original, those of the processor ${like.toFixed(1)}`,
    '',
  );
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
