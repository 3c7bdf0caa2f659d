import type { FrameSize } from '../timeline/index.js';
import { deinterlacing, scaleColours, type PictureFacts } from './facts.js';

/** How many times smaller each side of a light copy is than its source. */
export type CopyDivisor = 1 | 2 | 4 | 8;

/** What a light copy is made as. */
export interface CopyFormat {
  readonly id: 'intra-h264';
  readonly label: string;
  readonly divisor: CopyDivisor;
}

export const COPY_DIVISORS: readonly CopyDivisor[] = [1, 2, 4, 8];

/** Every frame on its own, so that a cut costs one frame and not a group of pictures. */
export function intraH264(divisor: CopyDivisor): CopyFormat {
  return { id: 'intra-h264', label: `intra H.264, 1:${divisor}`, divisor };
}

const even = (value: number): number => Math.max(2, 2 * Math.round(value / 2));

/** Size of the copy of a source: each side divided and rounded to even, so that the shape stays to the pixel pair. */
export function copySize(source: FrameSize, divisor: CopyDivisor): FrameSize {
  return { width: even(source.width / divisor), height: even(source.height / divisor) };
}

/**
 * The largest divisor at which a copy still has every pixel that the preview shows.
 * @param source size of the source
 * @param preview size of the preview
 */
export function fittingDivisor(source: FrameSize, preview: FrameSize): CopyDivisor {
  const fits = COPY_DIVISORS.filter((divisor) => {
    const size = copySize(source, divisor);
    return size.width >= preview.width || size.height >= preview.height;
  });
  return fits.at(-1) ?? 1;
}

/**
 * The arguments between input and output with which ffmpeg makes a copy. Time stamps pass through, so that the copy
 * has the length and the rate of its source to the frame.
 * @param size size of the copy
 * @param picture of the source
 */
export function copyArguments(size: FrameSize, picture: CopiedPicture): string[] {
  return [
    ...['-map', '0:v:0', '-an', '-sn', '-dn', '-map_metadata', '-1'],
    ...['-vf', `${copyScaling(size, picture)},format=yuv420p`],
    ...['-colorspace', 'bt709', '-color_range', 'tv'],
    ...['-fps_mode', 'passthrough', '-enc_time_base', '-1'],
    ...[
      '-c:v',
      'libx264',
      '-preset',
      'ultrafast',
      '-tune',
      'fastdecode',
      '-crf',
      '20',
      '-g',
      '1',
      '-bf',
      '0',
    ],
    ...['-movflags', '+faststart', '-f', 'mp4'],
  ];
}

/** What matters of a source's picture for its copy. */
export type CopiedPicture = Pick<PictureFacts, 'scan' | 'chroma' | 'colour'>;

/** The filter that reduces a source to its copy, as limited-range BT.709. */
function copyScaling({ width, height }: FrameSize, picture: CopiedPicture): string {
  return `${deinterlacing(picture.scan)}scale=${width}:${height}:flags=area:${scaleColours(picture)}`;
}
