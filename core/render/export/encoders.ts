import { formatRational, toNumber, type Rational } from '../../time/index.js';
import type { Delivery, DeliveryCodec, EncoderPace } from './delivery.js';

const SAMPLE_RATE = 48_000;

/** Format of a delivery: purpose, name and file type. */
export interface CodecChoice {
  readonly purpose: string;
  readonly name: string;
  /** File extension, which names the container. */
  readonly ending: 'mp4' | 'webm' | 'mov' | 'mkv';
  /** Whether the quality may be chosen: masters have none to choose. */
  readonly hasQuality: boolean;
}

export const CODEC_CHOICES: Readonly<Record<DeliveryCodec, CodecChoice>> = {
  h264: { purpose: 'To watch anywhere', name: 'H.264 and AAC in MP4', ending: 'mp4', hasQuality: true },
  h265: {
    purpose: 'Smaller, for newer players',
    name: 'H.265 and AAC in MP4',
    ending: 'mp4',
    hasQuality: true,
  },
  vp9: { purpose: 'For web pages', name: 'VP9 and Opus in WebM', ending: 'webm', hasQuality: true },
  av1: { purpose: 'Smallest, slow to make', name: 'AV1 and Opus in WebM', ending: 'webm', hasQuality: true },
  vc3: { purpose: 'Master for further work', name: 'VC-3 and PCM in MOV', ending: 'mov', hasQuality: false },
  ffv1: { purpose: 'Lossless master', name: 'FFV1 and PCM in Matroska', ending: 'mkv', hasQuality: false },
};

const PACES: Record<EncoderPace, string> = { quick: 'veryfast', balanced: 'medium', thorough: 'slow' };
/** libvpx: 0 slowest to 8; SVT-AV1: 0 slowest to 13. */
const VP9_SPEEDS: Record<EncoderPace, number> = { quick: 6, balanced: 4, thorough: 2 };
const AV1_PRESETS: Record<EncoderPace, number> = { quick: 10, balanced: 8, thorough: 5 };

const AAC_BITS = 256_000;
const OPUS_BITS = 192_000;
const AAC = ['-c:a', 'aac', '-b:a', String(AAC_BITS)];
const OPUS = ['-c:a', 'libopus', '-b:a', String(OPUS_BITS)];
const PCM = ['-c:a', 'pcm_s16le'];

/** Bit rate of a delivery's sound: the encoder's setting, or two channels of 16 bits. */
export function soundBits(codec: DeliveryCodec): number {
  const { ending } = CODEC_CHOICES[codec];
  if (ending === 'mp4') return AAC_BITS;
  return ending === 'webm' ? OPUS_BITS : SAMPLE_RATE * 2 * 16;
}

/**
 * ffmpeg's arguments that encode picture and sound of a delivery and name its container. Quality is x264's constant
 * rate factor; for the others it is turned into what looks about alike (common practice, no source).
 */
export function encoderArguments({ codec, quality, pace, megabits }: Delivery, rate: Rational): string[] {
  // A bit rate on average, and half as much again for a moment.
  const chosen = (factor: string): string[] =>
    megabits === undefined
      ? ['-crf', factor]
      : [
          '-b:v',
          `${megabits}M`,
          ...(codec === 'av1' ? [] : ['-maxrate', `${1.5 * megabits}M`, '-bufsize', `${2 * megabits}M`]),
        ];
  const keys = ['-g', String(Math.max(1, Math.round(2 * toNumber(rate))))];
  const mp4 = ['-movflags', '+faststart', '-f', 'mp4'];
  const video: Record<DeliveryCodec, readonly string[]> = {
    h264: [
      '-c:v',
      'libx264',
      '-preset',
      PACES[pace],
      ...chosen(String(quality)),
      ...keys,
      '-pix_fmt',
      'yuv420p',
      ...AAC,
      ...mp4,
    ],
    h265: [
      ...['-c:v', 'libx265', '-preset', PACES[pace], ...chosen(String(Math.min(51, quality + 4))), ...keys],
      ...['-x265-params', 'log-level=error', '-tag:v', 'hvc1', '-pix_fmt', 'yuv420p', ...AAC, ...mp4],
    ],
    vp9: [
      ...[
        '-c:v',
        'libvpx-vp9',
        ...chosen(String(Math.min(63, Math.round(1.5 * quality)))),
        ...(megabits === undefined ? ['-b:v', '0'] : []),
        ...keys,
      ],
      ...['-deadline', 'good', '-cpu-used', String(VP9_SPEEDS[pace]), '-row-mt', '1'],
      ...['-pix_fmt', 'yuv420p', ...OPUS, '-f', 'webm'],
    ],
    av1: [
      ...[
        '-c:v',
        'libsvtav1',
        '-preset',
        String(AV1_PRESETS[pace]),
        ...chosen(String(Math.min(63, Math.round(1.6 * quality)))),
      ],
      ...[...keys, '-pix_fmt', 'yuv420p', ...OPUS, '-f', 'webm'],
    ],
    vc3: ['-c:v', 'dnxhd', '-profile:v', 'dnxhr_hq', '-pix_fmt', 'yuv422p', ...PCM, '-f', 'mov'],
    ffv1: [
      '-c:v',
      'ffv1',
      '-level',
      '3',
      '-g',
      '1',
      '-slicecrc',
      '1',
      '-pix_fmt',
      'yuv420p',
      ...PCM,
      '-f',
      'matroska',
    ],
  };
  return [
    ...['-r', formatRational(rate)],
    ...['-colorspace', 'bt709', '-color_primaries', 'bt709', '-color_trc', 'bt709', '-color_range', 'tv'],
    ...['-ar', String(SAMPLE_RATE), '-ac', '2', '-map_metadata', '-1', '-fflags', '+bitexact'],
    ...video[codec],
  ];
}
