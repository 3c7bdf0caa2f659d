import { Writable } from 'node:stream';
import { readFrameHeader, type PacketIndex } from '@hone/core/media';
import { figureAtMean, figureOf, type DecodeFigures } from '@hone/core/machine';
import { toNumber } from '@hone/core/time';
import type { FrameSize } from '@hone/core/timeline';
import type { FfmpegPaths } from '../ffmpeg/hardware.js';
import { UserError } from '../http/problems.js';
import { writeFrames, type FrameOrigin } from '../media/frames.js';
import type { SourceRow } from '../media/source-store.js';
import type { FfmpegMeasurement } from './ffmpeg-measurement.js';

/** Widest picture of most previews. */
const PREVIEW_WIDTH = 960;

/** Frames that one pass receives at the most. */
const MOST_FRAMES = 240;

interface ServedMeasurement extends FfmpegMeasurement {
  /** For ffmpeg's decoder. */
  readonly threads: number;
  /** Paths that the player's frames are decoded by. */
  readonly paths: FfmpegPaths;
}

interface ServedFrame {
  /** Time of its picture, seconds from the first frame of the source. */
  readonly seconds: number;
  /** ms from the request until it was received. */
  readonly at: number;
}

/**
 * What the server's decoder takes for the mean frame of each kind of source, and until its first, by the code that
 * supplies the player with frames.
 * @param indexOf packet index of a source, where it was read
 */
export async function serverDecoders(
  samples: readonly SourceRow[],
  how: ServedMeasurement,
  indexOf: (row: SourceRow) => Promise<PacketIndex | undefined>,
): Promise<DecodeFigures[]> {
  const made: DecodeFigures[] = [];
  for (const row of samples) {
    const { picture, duration } = row.facts!;
    const bitsPerFrame = row.structure?.bitsPerFrame ?? 0;
    const index = await indexOf(row);
    const had = index ? bitsWithin(index, how.seconds) : 0;
    made.push(await servedFigures(row, { ...picture!, bitsPerFrame, had, seconds: toNumber(duration) }, how));
  }
  return made;
}

/** Properties of what is decoded, for its figures. */
interface ServedPicture extends Pick<
  DecodeFigures,
  'codec' | 'profile' | 'chroma' | 'bitDepth' | 'bitsPerFrame'
> {
  readonly size: FrameSize;
  /** Mean bits of the pictures of its first seconds; 0 where that is not known. */
  readonly had: number;
  /** Length of it. */
  readonly seconds: number;
}

/** What the server's decoder takes for the mean frame of a file, and until its first. */
export async function servedFigures(
  origin: FrameOrigin,
  { codec, profile, chroma, bitDepth, size, bitsPerFrame, had, seconds }: ServedPicture,
  how: ServedMeasurement,
): Promise<DecodeFigures> {
  const times = await framesOver(origin, how);
  const starts = times && (await startsIn(origin, seconds / 2, how));
  const about = { measuredAt: new Date().toISOString(), disturbed: how.disturbed };
  const hardware = how.paths.decoding(codec);
  const by = hardware.length
    ? `in hardware (${hardware.at(-1)})`
    : how.threads === 1
      ? 'one thread'
      : `${how.threads} threads`;
  const method = `ffmpeg, frames as the player gets them, ${by}`;
  return {
    decoder: 'server',
    ...{ codec, profile, chroma, bitDepth, width: size.width, height: size.height },
    bitsPerFrame,
    acceleration: hardware.length ? 'hardware' : 'software',
    msPerFrame: times && figureAtMean(figureOf(times, { ...about, method }), had, bitsPerFrame),
    together: [],
    problem: times ? null : 'ffmpeg gives out no frame of it.',
    startMs: starts
      ? figureOf(starts, { ...about, method: 'ffmpeg started in the middle, one picture' })
      : undefined,
  };
}

/** ms for each frame after the first of the first seconds, one value for each round; null when there are none. */
const framesOver = (row: FrameOrigin, how: ServedMeasurement): Promise<number[] | null> =>
  overRounds(how, async () => {
    const isLast = ({ seconds }: ServedFrame, count: number): boolean =>
      seconds >= how.seconds || count >= MOST_FRAMES;
    const served = await receive(row, 0, how, isLast);
    const [first, last] = [served[0], served.at(-1)];
    if (!first || !last) return null;
    // A source of one frame has no time but that of its start.
    return served.length > 1 ? (last.at - first.at) / (served.length - 1) : last.at;
  });

/** ms until the first frame in the middle of a source, one value for each round; null when there is none. */
const startsIn = (row: FrameOrigin, middle: number, how: ServedMeasurement): Promise<number[] | null> =>
  overRounds(how, async () => {
    const [first] = await receive(row, middle, how, () => true);
    return first?.at ?? null;
  });

/** Measures again and again; the first round also pays for reading the file, and does not count. */
async function overRounds(
  { rounds }: ServedMeasurement,
  measure: () => Promise<number | null>,
): Promise<number[] | null> {
  const values: number[] = [];
  for (let round = 0; round <= rounds; round++) {
    const value = await measure();
    if (value === null) return null;
    if (round > 0) values.push(value);
  }
  return values;
}

/** Frames from a time on, until one of them is the last that is wanted. */
async function receive(
  row: FrameOrigin,
  from: number,
  { ffmpeg, threads, paths, signal }: ServedMeasurement,
  isLast: (frame: ServedFrame, count: number) => boolean,
): Promise<ServedFrame[]> {
  const served: ServedFrame[] = [];
  const enough = new AbortController();
  const start = performance.now();
  const target = new Writable({
    write(bytes: Buffer, _encoding, done) {
      const frame = { seconds: readFrameHeader(bytes).seconds, at: performance.now() - start };
      if (!enough.signal.aborted) served.push(frame);
      if (isLast(frame, served.length)) enough.abort();
      done();
    },
  });
  try {
    const { size: full, codec } = row.facts!.picture!;
    const size = previewSize(full);
    const hardware = paths.decoding(codec);
    const until = AbortSignal.any([signal, enough.signal]);
    await writeFrames(row, target, { ffmpeg, from, size, threads, hardware, signal: until });
  } catch (error) {
    if (!(error instanceof UserError) && !enough.signal.aborted) throw error;
  }
  return served;
}

function previewSize({ width, height }: FrameSize): FrameSize {
  const share = Math.min(1, PREVIEW_WIDTH / width);
  const even = (side: number): number => Math.max(2, 2 * Math.round((share * side) / 2));
  return { width: even(width), height: even(height) };
}

/** Mean bits of the pictures of a file's first seconds. */
function bitsWithin({ sizes, dts, ticksPerSecond }: PacketIndex, seconds: number): number {
  const end = (dts[0] ?? 0) + seconds * ticksPerSecond;
  const first = sizes.filter((_, at) => dts[at]! < end);
  return (8 * first.reduce((sum, each) => sum + each, 0)) / Math.max(1, first.length);
}
