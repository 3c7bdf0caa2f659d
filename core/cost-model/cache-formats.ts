import { least, min } from 'd3-array';
import type { CacheFormatFigures, DriveFigures, Rig } from '../machine/index.js';
import {
  CACHE_FORMATS,
  cacheFormat,
  megapixels,
  type CacheFormat,
  type CacheFormatChoice,
  type CacheFormatId,
} from '../media/index.js';
import type { FrameSize } from '../timeline/index.js';
import { decodeMs } from './cost-model.js';
import { cachedMedium } from './medium.js';

/** Likeness at which a cached picture is taken for the live one, PSNR in dB. */
export const LIKE_LIVE_DB = 40;

/** Share of the time of a frame that reading it may take: the drive serves others too. */
const MOST_READ_SHARE = 0.5;

/** Ratio of times up to which one format is as quick as another: a quick measurement is no more exact. */
const AS_QUICK = 1.25;

/** Pictures to be coded. */
export interface CodedPictures {
  readonly size: FrameSize;
  readonly framesPerSecond: number;
}

/** What a format takes for a picture on a rig. */
export interface CacheFormatCosts {
  readonly format: CacheFormat;
  readonly figures: CacheFormatFigures;
  readonly bytes: number;
  /** To encode and write it. */
  readonly writeMs: number;
  /** To read it from the drive, and to decode it. */
  readonly readMs: number;
  readonly decodeMs: number;
}

/** A format that cannot be taken automatically, and why. */
export type CacheFormatLack = 'untried' | 'fails' | 'unlike' | 'drive';

/** Costs of a format for pictures; a lack where it was not tried or does not work. */
export function cacheFormatCosts(
  rig: Rig,
  id: CacheFormatId,
  { size, framesPerSecond }: CodedPictures,
): CacheFormatCosts | CacheFormatLack {
  const figures = rig.cacheFormats?.find(({ format }) => format === id);
  if (!figures) return 'untried';
  if (!figures.works || !figures.framesPerSecond) return 'fails';
  const pixels = size.width * size.height;
  const times = pixels / figures.pixels;
  const bytes = figures.frameBytes * times;
  const drive = cacheDrive(rig.drives);
  const msAt = (bytesPerSecond: number | undefined): number =>
    bytesPerSecond ? (1000 * bytes) / bytesPerSecond : 0;
  const medium = cachedMedium(
    {
      ...{ id: '', content: [], frameCount: 1, bytes, format: id, size },
      rate: { num: Math.round(framesPerSecond * 1000), den: 1000 },
    },
    '',
    rig,
  );
  const decoding = decodeMs(rig, { ...medium, megapixels: megapixels(size), megabits: (8 * bytes) / 1e6 });
  return {
    ...{ format: cacheFormat(id), figures, bytes },
    writeMs: Math.max(
      (1000 * times) / figures.framesPerSecond.value,
      msAt(drive?.writeBytesPerSecond?.value),
    ),
    readMs: msAt(drive?.readBytesPerSecond?.value),
    decodeMs: decoding.ms,
  };
}

/** Why a format that works is not taken automatically; undefined where it may be. */
function lackOf(
  { figures, readMs }: CacheFormatCosts,
  { framesPerSecond }: CodedPictures,
  isLossless: boolean,
): CacheFormatLack | undefined {
  const { likeness } = figures;
  if (likeness !== null && (isLossless || likeness < LIKE_LIVE_DB)) return 'unlike';
  return readMs > (MOST_READ_SHARE * 1000) / framesPerSecond ? 'drive' : undefined;
}

/** The formats that automatic chooses from, with what they take, or why not. */
export const automaticFormats = (
  rig: Rig,
  pictures: CodedPictures,
  isLossless = false,
): { readonly id: CacheFormatId; readonly costs?: CacheFormatCosts; readonly lack?: CacheFormatLack }[] =>
  CACHE_FORMATS.map(({ id }) => {
    const costs = cacheFormatCosts(rig, id, pictures);
    if (typeof costs === 'string') return { id, lack: costs };
    const lack = lackOf(costs, pictures, isLossless);
    return { id, costs, ...(lack && { lack }) };
  });

/**
 * The format that cached stretches are rendered in. By `automatic` it is one that is written, read and decoded in the least
 * time, of those that are like the live picture; by `automatic-lossless`, of those that are the same. Of formats that are as
 * quick as can be told, it is the one with the smallest files, of which the cache holds more.
 * @param rig of this machine; undefined before it was measured
 */
export function chosenCacheFormat(
  rig: Rig | undefined,
  choice: CacheFormatChoice,
  pictures: CodedPictures,
): CacheFormat {
  if (choice !== 'automatic' && choice !== 'automatic-lossless') return cacheFormat(choice);
  const isLossless = choice === 'automatic-lossless';
  const possible = rig ? automaticFormats(rig, pictures, isLossless) : [];
  const costs = possible.flatMap(({ costs: each, lack }) => (each && !lack ? [each] : []));
  const quickest = min(costs, msOf) ?? 0;
  const smallest = least(
    costs.filter((each) => msOf(each) <= AS_QUICK * quickest),
    ({ bytes }) => bytes,
  );
  return smallest?.format ?? cacheFormat(isLossless ? 'h264-lossless' : 'h264');
}

const msOf = ({ writeMs, readMs, decodeMs: decode }: CacheFormatCosts): number => writeMs + readMs + decode;

/** The drive of the render cache; rigs from before it had a folder of its own do not name it. */
const cacheDrive = (drives: readonly DriveFigures[]): DriveFigures | undefined =>
  drives.find(({ holds }) => holds.includes('render cache')) ??
  drives.find(({ holds }) => holds.includes('light copies'));
