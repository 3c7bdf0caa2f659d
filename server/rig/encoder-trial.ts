import { stat } from 'node:fs/promises';
import { join } from 'node:path';
import { figureOf, type Figure } from '@hone/core/machine';
import {
  deinterlacing,
  planarBytes,
  scaleColours,
  type CacheFormat,
  type StretchEncoder,
} from '@hone/core/media';
import { inputArguments } from '../ffmpeg/input.js';
import { fileArgument, runFfmpeg, runTool, ToolError } from '../ffmpeg/process.js';
import type { SourceRow } from '../media/source-store.js';
import type { FfmpegMeasurement } from './ffmpeg-measurement.js';

/** What encoders are tried with: the size of a usual preview, at a usual rate. */
export const TRIED_SIZE = { width: 960, height: 540 } as const;
const SIZE = `${TRIED_SIZE.width}x${TRIED_SIZE.height}`;
export const TRIED_RATE = 24;
const FRAMES = 24;
/** Where there is no footage: moving, with some noise, as footage has. */
const MADE_UP = `testsrc2=s=${SIZE}:r=${TRIED_RATE},noise=alls=6:allf=t,format=yuv420p`;
/** Times that they are encoded, so that starting counts for little. */
const REPEATS = 5;
/** Least share of the longer of both encodings that counts as encoding. */
const LEAST_ENCODING = 0.5;

export interface EncoderMeasurement extends FfmpegMeasurement {
  readonly ffprobe: string;
  /** Folder for the frames and for what is encoded. */
  readonly folder: string;
}

interface EncoderTrial extends EncoderMeasurement {
  /** ffmpeg's arguments that open the frames to encode. */
  readonly frames: readonly string[];
}

const planesInput = (path: string): string[] => [
  ...['-f', 'rawvideo', '-pixel_format', 'yuv420p', '-video_size', SIZE, '-framerate', String(TRIED_RATE)],
  ...['-i', fileArgument(path)],
];

/**
 * Frames to try encoders with.
 * @param row footage that they are taken of; made up without it, or where it is too short
 */
export async function framesToEncode(
  how: EncoderMeasurement,
  row: SourceRow | undefined,
): Promise<EncoderTrial> {
  const path = join(how.folder, 'tried.yuv');
  const make = async (input: readonly string[]): Promise<boolean> => {
    const output = ['-frames:v', String(FRAMES), '-f', 'rawvideo', fileArgument(path)];
    await runFfmpeg(how.ffmpeg, ['-v', 'error', ...input, ...output], how);
    const { size } = await stat(path);
    return size === FRAMES * planarBytes(TRIED_SIZE.width, TRIED_SIZE.height);
  };
  const picture = row?.facts?.picture;
  const isMade =
    row !== undefined &&
    picture &&
    (await make([
      ...[...inputArguments(row), '-map', '0:v:0', '-an', '-fps_mode', 'passthrough', '-vf'],
      `${deinterlacing(picture.scan)}scale=${SIZE}:flags=area:${scaleColours(picture)},format=yuv420p`,
    ]).catch((error: unknown) => {
      if (how.signal.aborted || !(error instanceof ToolError)) throw error;
      return false;
    }));
  if (!isMade) await make(['-f', 'lavfi', '-i', MADE_UP]);
  return { ...how, frames: planesInput(path) };
}

export interface TriedEncoder {
  /** Frames a second. */
  readonly rate: Figure;
  /** PSNR in dB; null where every sample came back as it was. */
  readonly likeness: number | null;
  readonly frameBytes: number;
  readonly frameCount: number;
  /** File of them. */
  readonly path: string;
}

/** Encodes as cached stretches are. @param name of the file @throws ToolError when it does not, or pictures need each other */
export async function tryEncoder(
  encoder: StretchEncoder,
  { muxer, ending }: Pick<CacheFormat, 'muxer' | 'ending'>,
  name: string,
  trial: EncoderTrial,
): Promise<TriedEncoder> {
  const { ffmpeg, frames, folder, rounds, disturbed, signal } = trial;
  const path = join(folder, `${name}.${ending}`);
  const encode = async (repeats: number): Promise<number> => {
    const started = performance.now();
    await runFfmpeg(
      ffmpeg,
      [
        ...['-v', 'verbose', ...encoder.setUp, '-stream_loop', String(repeats - 1), ...frames],
        ...['-filter_complex', `[0:v]null${encoder.upload}[picture]`, '-map', '[picture]'],
        ...[...encoder.arguments, '-f', muxer, fileArgument(path)],
      ],
      { signal },
    );
    return performance.now() - started;
  };
  const rates: number[] = [];
  for (let round = 0; round < rounds; round++) {
    const [short, long] = [await encode(1), await encode(REPEATS)];
    // What is written faster than ffmpeg starts cannot be told from it.
    rates.push((FRAMES * (REPEATS - 1) * 1000) / Math.max(1, long - short, LEAST_ENCODING * long));
  }
  const frameCount = FRAMES * REPEATS;
  await requireAlone(path, muxer, frameCount, trial);
  const method = `ffmpeg, ${FRAMES * (REPEATS - 1)} pictures of ${SIZE}`;
  return {
    rate: figureOf(rates, { method, measuredAt: new Date().toISOString(), disturbed }),
    likeness: await likenessOf(path, muxer, trial),
    frameBytes: (await stat(path)).size / frameCount,
    ...{ frameCount, path },
  };
}

/** @throws ToolError when a file does not hold as many pictures, or they need each other */
async function requireAlone(
  path: string,
  muxer: CacheFormat['muxer'],
  frameCount: number,
  { ffprobe, signal }: EncoderTrial,
): Promise<void> {
  const flags = ['-select_streams', 'v', '-show_entries', 'packet=flags', '-of', 'csv=p=0'];
  const { output } = await runTool(ffprobe, ['-v', 'error', ...flags, ...inputOf(path, muxer)], { signal });
  const pictures = output.split('\n').filter(Boolean);
  if (pictures.length !== frameCount)
    throw new ToolError(`${pictures.length} of ${frameCount} pictures came out`, '');
  if (!pictures.every((each) => each.startsWith('K')))
    throw new ToolError('its pictures do not stand alone', '');
}

async function likenessOf(
  path: string,
  muxer: CacheFormat['muxer'],
  { ffmpeg, frames, signal }: EncoderTrial,
): Promise<number | null> {
  // Containers round time stamps, and pictures are compared by their number.
  const numbered = `settb=1/${TRIED_RATE},setpts=N`;
  const graph = `[0:v]${numbered}[a];[1:v]${numbered}[b];[a][b]psnr=shortest=1`;
  const compare = ['-filter_complex', graph, '-f', 'null', '-'];
  const told = await runFfmpeg(ffmpeg, ['-v', 'info', ...inputOf(path, muxer), ...frames, ...compare], {
    signal,
  });
  const likeness = /PSNR.* average:(inf|[\d.]+)/.exec(told)?.[1];
  if (likeness === undefined) throw new ToolError('its pictures could not be compared', '');
  return likeness === 'inf' ? null : Number(likeness);
}

const inputOf = (path: string, muxer: CacheFormat['muxer']): string[] =>
  muxer === 'rawvideo' ? planesInput(path) : ['-i', fileArgument(path)];
