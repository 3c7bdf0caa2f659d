import { execFile } from 'node:child_process';
import { join } from 'node:path';
import { promisify } from 'node:util';
import type { FrameSize } from '@hone/core/timeline';
import { randomInt, randomUniform } from 'd3-random';

const run = promisify(execFile);

/** A number from 0 to 1. */
export type Random = () => number;

/** A source that is made by chance. */
export interface RandomSource {
  readonly path: string;
  /** Description in one line. */
  readonly about: string;
  readonly seconds: number;
}

interface Coding {
  readonly name: string;
  readonly extension: string;
  readonly pixelFormats: readonly string[];
  readonly encode: (choice: Choice) => readonly string[];
  /** Whether pictures refer to others. */
  readonly isLong: boolean;
  readonly mostHeight?: number;
  readonly isInterlaced?: boolean;
}

const long = (group: number, between: number): string[] => ['-g', String(group), '-bf', String(between)];
const quality = (least: number, most: number, share: number): number =>
  Math.round(least + share * (most - least));

interface Choice {
  /** Frames from key frame to key frame, and pictures between those that they refer to. */
  readonly group: number;
  readonly between: number;
  /** 0 for the best, 1 for the worst. */
  readonly quality: number;
  readonly size: FrameSize;
}

/** Cameras rarely write more. */
const MOST_BITS = ['-maxrate', '150M', '-bufsize', '75M'];

/** @param best constant rate factor of the best quality, and of the worst */
const h264 = (best: number, worst: number, { group, between, quality: share }: Choice): string[] => [
  ...['-c:v', 'libx264', '-preset', 'superfast', '-crf', String(quality(best, worst, share)), ...MOST_BITS],
  ...long(group, between),
];

const CODINGS: readonly Coding[] = [
  {
    name: 'H.264',
    extension: 'mp4',
    pixelFormats: ['yuv420p', 'yuv420p', 'yuvj420p'],
    isLong: true,
    encode: (choice) => h264(16, 30, choice),
  },
  {
    name: 'H.264 of more depth or chroma',
    // In a .mov, ffmpeg tags 10-bit 4:2:2 as AVC-Intra and leaves the parameter sets out: nothing decodes it.
    extension: 'mp4',
    pixelFormats: ['yuv420p10le', 'yuv422p', 'yuv422p10le', 'yuv444p'],
    isLong: true,
    encode: (choice) => h264(16, 28, choice),
  },
  {
    name: 'HEVC',
    extension: 'mp4',
    pixelFormats: ['yuv420p', 'yuv420p10le', 'yuv422p10le'],
    isLong: true,
    encode: ({ group, between, quality: share }) => [
      ...[
        '-c:v',
        'libx265',
        '-preset',
        'ultrafast',
        '-crf',
        String(quality(18, 30, share)),
        '-tag:v',
        'hvc1',
      ],
      ...['-x265-params', `log-level=error:keyint=${group}:bframes=${between}`],
    ],
  },
  {
    name: 'VP9',
    extension: 'webm',
    pixelFormats: ['yuv420p'],
    isLong: true,
    mostHeight: 1520,
    encode: ({ group, quality: share }) => [
      ...['-c:v', 'libvpx-vp9', '-deadline', 'realtime', '-cpu-used', '8', '-row-mt', '1'],
      ...['-crf', String(quality(20, 40, share)), '-b:v', '0', '-g', String(group)],
    ],
  },
  {
    name: 'AV1',
    extension: 'mp4',
    pixelFormats: ['yuv420p'],
    isLong: true,
    encode: ({ group, quality: share }) => [
      ...['-c:v', 'libsvtav1', '-preset', '12', '-crf', String(quality(25, 50, share)), '-g', String(group)],
    ],
  },
  {
    name: 'MPEG-2, interlaced',
    extension: 'mpg',
    pixelFormats: ['yuv420p'],
    isLong: true,
    mostHeight: 1080,
    isInterlaced: true,
    encode: ({ group, between, size }) => [
      ...[
        '-c:v',
        'mpeg2video',
        '-b:v',
        `${Math.round(size.width * size.height * 12)}`,
        '-flags',
        '+ildct+ilme',
      ],
      ...['-top', '1', ...long(Math.min(18, group), Math.min(2, between))],
    ],
  },
  {
    name: 'VC-3',
    extension: 'mov',
    pixelFormats: ['yuv422p'],
    isLong: false,
    mostHeight: 1520,
    encode: () => ['-c:v', 'dnxhd', '-profile:v', 'dnxhr_sq'],
  },
  {
    name: 'FFV1',
    extension: 'mkv',
    pixelFormats: ['yuv420p', 'yuv422p10le', 'yuv444p10le'],
    isLong: false,
    mostHeight: 1080,
    encode: () => ['-c:v', 'ffv1', '-level', '3', '-slices', '16'],
  },
  {
    name: 'Motion JPEG',
    extension: 'mov',
    pixelFormats: ['yuvj420p', 'yuvj422p'],
    isLong: false,
    mostHeight: 1520,
    encode: ({ quality: share }) => ['-c:v', 'mjpeg', '-q:v', String(quality(2, 8, share))],
  },
  {
    name: 'Ut Video',
    extension: 'mov',
    pixelFormats: ['yuv420p', 'yuv422p'],
    isLong: false,
    mostHeight: 720,
    encode: () => ['-c:v', 'utvideo'],
  },
];

const SIZES: readonly FrameSize[] = [
  { width: 854, height: 480 },
  { width: 1280, height: 720 },
  { width: 1920, height: 1080 },
  { width: 2704, height: 1520 },
  { width: 3840, height: 2160 },
];

const RATES = ['24000/1001', '24', '25', '30000/1001', '50', '60000/1001'] as const;
const SECONDS = 4;
/** Megapixels that are made a second at most, so that making them does not take longer than playing them. */
const MOST_MEGAPIXELS = 200;

export const pick = <T>(random: Random, list: readonly T[]): T =>
  list[randomInt.source(random)(0, list.length)()]!;

/**
 * Makes sources by chance: of every coding one, and more of those that people film in.
 * @param count at least as many as there are codings for each of them to be met
 */
export async function makeRandomSources(
  ffmpeg: string,
  folder: string,
  count: number,
  random: Random,
): Promise<RandomSource[]> {
  const codings = [
    ...CODINGS,
    ...Array.from({ length: count }, () => CODINGS[pick(random, [0, 0, 1, 2, 3, 4])]!),
  ];
  const sources: RandomSource[] = [];
  for (const [number, coding] of codings.slice(0, count).entries())
    sources.push(await makeSource(ffmpeg, folder, number, coding, random));
  return sources;
}

async function makeSource(
  ffmpeg: string,
  folder: string,
  number: number,
  coding: Coding,
  random: Random,
): Promise<RandomSource> {
  const uniform = (from: number, to: number): number => randomUniform.source(random)(from, to)();
  const size = pick(
    random,
    SIZES.filter(({ height }) => height <= (coding.mostHeight ?? Infinity)),
  );
  const rates = RATES.filter((rate) => {
    const [over, under = 1] = rate.split('/').map(Number);
    return (size.width * size.height * over!) / under / 1e6 <= MOST_MEGAPIXELS;
  });
  const rate = coding.isInterlaced ? pick(random, ['25', '30000/1001'] as const) : pick(random, rates);
  const isUpright = !coding.isInterlaced && random() < 0.15;
  const group = coding.isLong ? Math.round(Math.exp(uniform(0, Math.log(300)))) : 1;
  const between = coding.isLong && group > 4 ? pick(random, [0, 2, 3]) : 0;
  const isNoisy = random() < 0.5;
  const isVariable = coding.extension === 'mp4' && random() < 0.15;
  const pixelFormat = pick(random, coding.pixelFormats);
  const path = join(folder, `${number} ${coding.name.split(/[ ,]/)[0]!}.${coding.extension}`);
  const [width, height] = isUpright ? [size.height, size.width] : [size.width, size.height];
  const picture = isNoisy
    ? `gradients=s=${width}x${height}:r=${rate}:speed=0.02:seed=${number + 1},noise=alls=${Math.round(uniform(2, 6))}:allf=t`
    : `testsrc2=s=${width}x${height}:r=${rate}`;
  // Every seventh frame is left out.
  const varied = isVariable ? ",select='mod(n,7)'" : '';
  await run(ffmpeg, [
    ...['-v', 'error', '-y', '-f', 'lavfi', '-i', `${picture}${varied},format=${pixelFormat}`],
    ...['-t', String(SECONDS), ...(isVariable ? ['-fps_mode', 'vfr'] : [])],
    ...coding.encode({ group, between, quality: random(), size }),
    path,
  ]);
  const about = `${coding.name} ${pixelFormat} ${width} x ${height} ${rate}${isVariable ? ' variable' : ''} group ${group} between ${between} ${isNoisy ? 'noisy' : 'calm'}`;
  return { path, about, seconds: SECONDS };
}
