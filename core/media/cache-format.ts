import { INTRA_H264 } from './copy-format.js';
import type { IntraEncoder } from './intra-encoder.js';

/** Codings of cached stretches. */
export const CACHE_FORMAT_IDS = ['h264', 'h264-lossless', 'ffv1', 'uncompressed'] as const;

export type CacheFormatId = (typeof CACHE_FORMAT_IDS)[number];

/** How cached stretches are coded: in a format, or in that which this machine is quickest with. */
export const CACHE_FORMAT_CHOICES = ['automatic', 'automatic-lossless', ...CACHE_FORMAT_IDS] as const;

export type CacheFormatChoice = (typeof CACHE_FORMAT_CHOICES)[number];

/** A coding of cached stretches, in which every picture stands alone. */
export interface CacheFormat {
  readonly id: CacheFormatId;
  readonly label: string;
  /** ffmpeg's name of the codec. */
  readonly codec: string;
  /** `intra` and `intra lossless` are Hone's own, for pictures that it made. */
  readonly profile: string;
  readonly isLossless: boolean;
  /** Whether the browser decodes it; it may still refuse. */
  readonly isForBrowser: boolean;
  /** Ending of its files. */
  readonly ending: 'mp4' | 'mkv' | 'yuv';
  /** ffmpeg's name of the container. */
  readonly muxer: 'mp4' | 'matroska' | 'rawvideo';
  /** Encoder of it. @param quick encoder of lossy H.264 that this machine is quickest with */
  encoder(quick: IntraEncoder): StretchEncoder;
}

/** How ffmpeg encodes a stretch. */
export type StretchEncoder = Pick<IntraEncoder, 'name' | 'setUp' | 'upload'> & {
  readonly arguments: readonly string[];
};

/**
 * x264's constant rate factor, or the quantiser of another encoder, at which a cached picture is taken for the live one:
 * above 45 dB on the demo's footage.
 */
const STRETCH_FACTOR = 14;

const byProcessor = (name: string, ...more: readonly string[]): StretchEncoder => ({
  ...{ name, setUp: [], upload: '' },
  arguments: ['-c:v', name, ...more],
});

/** Constant quantiser 0 transforms nothing (ITU-T H.264, 7.4.2.1.1: qpprime_y_zero_transform_bypass_flag). */
const LOSSLESS_H264 = byProcessor('libx264', '-preset', 'ultrafast', '-qp', '0', '-g', '1', '-bf', '0');
/** Version 3, in slices that are coded side by side (RFC 9043). */
const FFV1 = byProcessor('ffv1', '-level', '3', '-slices', '4', '-slicecrc', '1', '-g', '1');

/** Pictures that are no more than planes of 8-bit 4:2:0, one after the other. */
export const UNCOMPRESSED = { codec: 'rawvideo', profile: 'intra' } as const;

/** All codings of cached stretches. */
export const CACHE_FORMATS: readonly CacheFormat[] = [
  {
    ...{ id: 'h264', label: 'H.264, intra-coded', ...INTRA_H264, isLossless: false, isForBrowser: true },
    ...{ ending: 'mp4', muxer: 'mp4' },
    encoder: ({ name, setUp, upload, arguments: at }) => ({
      ...{ name, setUp, upload },
      arguments: at(STRETCH_FACTOR),
    }),
  },
  {
    ...{ id: 'h264-lossless', label: 'H.264, lossless', codec: 'h264', profile: 'intra lossless' },
    ...{ isLossless: true, isForBrowser: true, ending: 'mp4', muxer: 'mp4' },
    encoder: () => LOSSLESS_H264,
  },
  {
    ...{ id: 'ffv1', label: 'FFV1', codec: 'ffv1', profile: 'intra', isLossless: true, isForBrowser: false },
    ...{ ending: 'mkv', muxer: 'matroska' },
    encoder: () => FFV1,
  },
  {
    ...{ id: 'uncompressed', label: 'Uncompressed', ...UNCOMPRESSED, isLossless: true, isForBrowser: true },
    ...{ ending: 'yuv', muxer: 'rawvideo' },
    encoder: () => byProcessor('rawvideo'),
  },
];

/** The coding of a name; that of files from before there was a choice for any other name. */
export const cacheFormat = (id: string): CacheFormat =>
  CACHE_FORMATS.find((each) => each.id === id) ?? CACHE_FORMATS[0]!;

const MADE_PROFILES: readonly (string | undefined)[] = CACHE_FORMATS.map(({ profile }) => profile);

/**
 * Whether figures of pictures of one profile hold for those of another. Those that Hone makes cost otherwise than those of
 * cameras.
 */
export const isMadeAlike = (a: string | undefined, b: string | undefined): boolean =>
  MADE_PROFILES.includes(a) || MADE_PROFILES.includes(b) ? a === b : true;
