import { mkdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { TriedCacheFormats } from '@hone/core/api';
import type { CacheFormatFigures, DecodeFigures } from '@hone/core/machine';
import { CACHE_FORMATS, type CacheFormat } from '@hone/core/media';
import { rational } from '@hone/core/time';
import type { FfmpegPaths } from '../ffmpeg/hardware.js';
import { stretchOrigin } from '../render-cache/stretch-origin.js';
import type { SourceRow } from '../media/source-store.js';
import {
  framesToEncode,
  TRIED_RATE,
  TRIED_SIZE,
  tryEncoder,
  type EncoderMeasurement,
  type TriedEncoder,
} from './encoder-trial.js';
import { failureOf } from './ffmpeg-measurement.js';
import { servedFigures } from './server-decoders.js';

interface FormatMeasurement extends EncoderMeasurement {
  /** For ffmpeg's decoder. */
  readonly threads: number;
  readonly paths: FfmpegPaths;
}

/** File that a format was tried with. */
export const triedFile = (folder: string, { id, ending }: CacheFormat): string =>
  join(folder, `${id}.${ending}`);

/**
 * Tries each coding of cached stretches: how quickly frames of the heaviest source are encoded, how many bytes they take,
 * and how like the original they are. The files stay in the folder, for the browser to decode.
 * @param folder is emptied before
 */
export async function tryCacheFormats(
  heaviest: SourceRow | undefined,
  how: FormatMeasurement,
): Promise<TriedCacheFormats> {
  const { folder, paths } = how;
  await rm(folder, { recursive: true, force: true });
  await mkdir(folder, { recursive: true });
  const trial = await framesToEncode(how, heaviest);
  const formats: CacheFormatFigures[] = [];
  const decoders: DecodeFigures[] = [];
  const files: TriedCacheFormats['files'][number][] = [];
  for (const format of CACHE_FORMATS) {
    let tried: TriedEncoder | undefined;
    const reason = await failureOf(async () => {
      tried = await tryEncoder(format.encoder(paths.encoder), format, format.id, trial);
    });
    formats.push(figuresOf(format, tried, reason ?? ''));
    if (!tried) continue;
    if (format.isForBrowser) files.push({ format: format.id, frameCount: tried.frameCount });
    else decoders.push(await servedOf(format, tried, how));
  }
  return { formats, decoders, files, size: TRIED_SIZE, rate: rational(TRIED_RATE) };
}

const figuresOf = (
  { id }: CacheFormat,
  tried: TriedEncoder | undefined,
  reason: string,
): CacheFormatFigures => ({
  ...{ format: id, works: tried !== undefined, reason, framesPerSecond: tried?.rate },
  pixels: TRIED_SIZE.width * TRIED_SIZE.height,
  frameBytes: tried?.frameBytes ?? 0,
  likeness: tried?.likeness ?? null,
});

function servedOf(
  format: CacheFormat,
  { path, frameBytes, frameCount }: TriedEncoder,
  how: FormatMeasurement,
): Promise<DecodeFigures> {
  const { codec, profile } = format;
  const [size, bitsPerFrame] = [TRIED_SIZE, 8 * frameBytes];
  const origin = stretchOrigin({ path, format: format.id, rate: rational(TRIED_RATE), ...size });
  const coding = { codec, profile, chroma: '4:2:0', bitDepth: 8, bitsPerFrame, had: 0, size };
  return servedFigures(origin, { ...coding, seconds: frameCount / TRIED_RATE }, how);
}
