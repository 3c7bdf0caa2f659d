import { evenSide, type FrameSize } from '../timeline/index.js';
import { straightAlpha } from './alpha.js';
import { deinterlacing, scaleColours, shownSize, type PictureFacts } from './facts.js';
import { PROCESSOR_ENCODER, type IntraEncoder } from './intra-encoder.js';

/** Divisor of each side of a light copy. */
export type CopyDivisor = 1 | 2 | 4 | 8;

/** Codec and container of light copies. */
export interface CopyFormat {
  readonly id: 'intra-h264';
  readonly label: string;
  readonly divisor: CopyDivisor;
}

export const COPY_DIVISORS: readonly CopyDivisor[] = [1, 2, 4, 8];

export const INTRA_H264_LABEL = 'intra H.264';

/** Every frame on its own, so that a cut costs one frame and not a group of pictures. */
export function intraH264(divisor: CopyDivisor, hasAlpha = false): CopyFormat {
  return {
    id: 'intra-h264',
    label: `${INTRA_H264_LABEL}${hasAlpha ? ' with alpha' : ''}, 1:${divisor}`,
    divisor,
  };
}

/** Rows and columns of the largest block that H.264 codes in one piece (ITU-T H.264, 3.85: macroblock). */
const BLOCK = 16;

/**
 * H.264 has no alpha that browsers decode, so a copy of a transparent source holds it as a second picture below the
 * colours: as grey, 16 for transparent to 235 for opaque. It begins on a block of its own.
 * @param height of the copy
 * @returns row at which alpha begins
 */
export const alphaRow = (height: number): number => BLOCK * Math.ceil(height / BLOCK);

/** Properties that define the layout of a copy's coded picture. */
export interface CopyLayout extends FrameSize {
  /** Row at which alpha begins; null for a copy without alpha. */
  readonly alphaRow: number | null;
}

/** A coded picture with alpha below the colours. */
export interface StackedPicture extends FrameSize {
  readonly alphaRow: number;
}

/** Layout of the copy of a source. */
export function copyLayout(
  picture: Pick<PictureFacts, 'size' | 'pixelAspect' | 'rotation' | 'alpha'>,
  divisor: CopyDivisor,
): CopyLayout {
  const size = copySize(shownSize(picture), divisor);
  return { ...size, alphaRow: picture.alpha ? alphaRow(size.height) : null };
}

/** Coding of what Hone makes to be played: of copies and cached stretches. */
export const INTRA_H264 = { codec: 'h264', profile: 'intra' } as const;

/** Size of the coded picture of a copy. */
export const codedSize = ({ width, height, alphaRow: row }: CopyLayout): FrameSize => ({
  width,
  height: row === null ? height : 2 * row,
});

/** Size of the copy of a source: each side divided and rounded to even, so that the shape stays to the pixel pair. */
export function copySize(source: FrameSize, divisor: CopyDivisor): FrameSize {
  return { width: evenSide(source.width / divisor), height: evenSide(source.height / divisor) };
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

/** x264's constant rate factor of a copy, or the quantiser of another encoder. */
const COPY_FACTOR = 20;

/**
 * The arguments between input and output with which ffmpeg makes a copy. Time stamps pass through, so that the copy
 * has the length and the rate of its source to the frame.
 * @param size size of the copy
 * @param picture of the source
 * @param encoder its `setUp` stands before the input
 */
export function copyArguments(
  size: FrameSize,
  picture: CopiedPicture,
  encoder: IntraEncoder = PROCESSOR_ENCODER,
): string[] {
  return [
    ...['-filter_complex', `${copyFilters(size, picture)};[whole]null${encoder.upload}[copy]`],
    ...['-map', '[copy]'],
    ...['-an', '-sn', '-dn', '-map_metadata', '-1'],
    ...['-colorspace', 'bt709', '-color_range', 'tv'],
    ...['-fps_mode', 'passthrough', '-enc_time_base', '-1'],
    ...encoder.arguments(COPY_FACTOR),
    ...['-movflags', '+faststart', '-f', 'mp4'],
  ];
}

/** Properties of a source's picture that its copy depends on. */
export type CopiedPicture = Pick<PictureFacts, 'scan' | 'chroma' | 'colour' | 'alpha' | 'premultiplied'>;

/** The filters that reduce a source to its copy, as limited-range BT.709, with alpha below the colours if it has any. */
function copyFilters({ width, height }: FrameSize, picture: CopiedPicture): string {
  const read = `[0:v:0]${deinterlacing(picture.scan)}`;
  const reduced = `scale=${width}:${height}:flags=area`;
  const colours = `${reduced}:${scaleColours(picture)},format=yuv420p`;
  if (!picture.alpha) return `${read}${colours}[whole]`;
  return (
    `${read}${straightAlpha(picture)}split[colours][alpha];` +
    `[colours]${colours}${stacking({ width, height })}[above];` +
    `[alpha]alphaextract,${reduced},format=yuv420p${stacking({ width, height })}[below];[above][below]vstack[whole]`
  );
}

/** The filter, with a comma before it, that fills the rows of a picture up to the next block. */
export const stacking = ({ width, height }: FrameSize): string =>
  alphaRow(height) === height ? '' : `,pad=${width}:${alphaRow(height)}`;
