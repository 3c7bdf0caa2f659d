import { open } from 'node:fs/promises';
import {
  FACTS_VERSION,
  pixelFormatFacts,
  type ColourTags,
  type PictureFacts,
  type Scan,
  type SourceFacts,
} from '@hone/core/media';
import { multiply, parseRational, rational, toNumber, ZERO, type Rational } from '@hone/core/time';
import { probeArguments, type MediaInput } from './input.js';
import { MissingToolError, runTool, ToolError } from './process.js';

/** A file that cannot be a source; the message is for the user, with the remedy. */
export class UnusableError extends Error {
  override readonly name = 'UnusableError';
}

/** A file that cannot be read at the moment and is tried again; the message says what it waits for. */
export class WaitingError extends Error {
  override readonly name = 'WaitingError';
}

/** Messages of a program about faults of the machine, not of the file. */
const PASSING =
  /Permission denied|Operation not permitted|No such file|Cannot allocate memory|Resource temporarily|Too many open files|did nothing for|was ended by the signal/;

/** @returns an error that is tried again, when what a tool failed with is a passing fault */
export function waitingFor(error: ToolError): WaitingError | undefined {
  if (error instanceof MissingToolError) return new WaitingError(`Waits for ffmpeg: ${error.message}`);
  const said = PASSING.exec(`${error.message} ${error.output}`)?.[0];
  if (!said) return undefined;
  return new WaitingError(
    `Waits until the file can be read (${said.toLowerCase()}). Hone tries again by itself.`,
  );
}

interface ProbedStream {
  codec_type?: string;
  codec_name?: string;
  profile?: string;
  width?: number;
  height?: number;
  sample_aspect_ratio?: string;
  r_frame_rate?: string;
  avg_frame_rate?: string;
  pix_fmt?: string;
  level?: number;
  field_order?: string;
  color_space?: string;
  color_primaries?: string;
  color_transfer?: string;
  color_range?: string;
  tags?: { timecode?: string; alpha_mode?: string; ALPHA_MODE?: string };
  time_base?: string;
  start_pts?: number;
  duration_ts?: number;
  nb_frames?: string;
  sample_rate?: string;
  channels?: number;
  disposition?: { attached_pic?: number };
  side_data_list?: { rotation?: number }[];
}

interface Probed {
  streams?: ProbedStream[];
  format?: { format_name?: string; duration?: string; tags?: { timecode?: string } };
}

/** Seconds at the start of a file in which equal distances between frames are looked for. */
const RATE_SAMPLE_SECONDS = 20;
/** Most pictures that a codec holds back to put them in order. */
const REORDERED = 16;

/**
 * Reads the facts of a file with ffprobe.
 * @throws UnusableError when the file is no media, has neither picture nor sound, or is cut off
 * @throws WaitingError when it cannot be read for the time being
 */
export async function probe(program: string, input: MediaInput, bytes: number): Promise<SourceFacts> {
  if (bytes === 0) throw new UnusableError('The file is empty. Copy it from the camera or card again.');
  const probed = await readProbe(program, input);
  const streams = probed.streams ?? [];
  const format = probed.format ?? {};
  const video = streams.find((stream) => stream.codec_type === 'video' && !stream.disposition?.attached_pic);
  const audio = streams.find((stream) => stream.codec_type === 'audio');
  if (!video && !audio)
    throw new UnusableError('The file has neither picture nor sound. Choose another one.');
  if (
    video &&
    !input.stills &&
    /image2|png_pipe|jpeg_pipe|^gif$|webp_pipe|tiff_pipe|bmp_pipe/.test(format.format_name ?? '')
  ) {
    throw new UnusableError(
      'The file is a single still picture; only moving ones, or stills that are numbered in a row, can be put on a timeline yet.',
    );
  }
  const lead = video ?? audio!;
  const start = startOf(lead);
  const duration = durationOf(lead, format.duration);
  if (toNumber(duration) <= 0) {
    throw new UnusableError(
      'The file has no length: it was probably cut off while recording. Copy it again.',
    );
  }
  const bitsPerSecond = Math.round((8 * bytes) / toNumber(duration));
  if (video) requireUsableSize(video.width ?? 0, video.height ?? 0);
  const picture = video ? await pictureFacts(program, input, video, duration) : null;
  return {
    version: FACTS_VERSION,
    timecode: streams.map(({ tags }) => tags?.timecode).find(Boolean) ?? format.tags?.timecode ?? null,
    container: format.format_name ?? 'unknown',
    duration,
    pictureStart: start,
    bytes,
    bitsPerSecond,
    picture,
    sound: audio
      ? {
          codec: audio.codec_name ?? 'unknown',
          sampleRate: Number(audio.sample_rate ?? 0),
          channels: audio.channels ?? 0,
        }
      : null,
  };
}

async function readProbe(program: string, input: MediaInput): Promise<Probed> {
  const args = ['-v', 'error', '-show_format', '-show_streams', '-of', 'json', ...probeArguments(input)];
  try {
    const { output } = await runTool(program, args, { stallMs: 30_000 });
    return JSON.parse(output) as Probed;
  } catch (error) {
    if (!(error instanceof ToolError)) throw error;
    const waiting = waitingFor(error);
    if (waiting) throw waiting;
    const format = /\[(\w+) @ [^\]]*\] Format not on whitelist/.exec(error.output)?.[1];
    if (format) {
      throw new UnusableError(
        `The file is no medium that Hone opens (${format}); lists of other files are not followed. Choose the media themselves.`,
      );
    }
    if (/moov atom not found/.test(error.output) && (await beginsAsMovie(input.path))) {
      throw new UnusableError(
        'The file is cut off: its index is missing. Copy it from the camera or card again.',
      );
    }
    if (/Invalid data|moov atom/.test(error.output)) {
      throw new UnusableError(
        'The file is not media that ffmpeg can read, or it is damaged. Choose another one.',
      );
    }
    const said = error.message
      .replaceAll(input.path, 'the file')
      .replace(/\[[^\]]*\] */g, '')
      .replace(/[.\s]+$/, '');
    throw new UnusableError(
      `The file is damaged or no medium that ffmpeg can read (${said}). Choose another one.`,
    );
  }
}

// Below, chroma has no samples left at small preview scales; above, no level of H.264 and no browser decodes it.
const SMALLEST_SIDE = 16;
const LARGEST_SIDE = 16_384;

function requireUsableSize(width: number, height: number): void {
  if (Math.min(width, height) >= SMALLEST_SIDE && Math.max(width, height) <= LARGEST_SIDE) return;
  throw new UnusableError(
    `The picture has ${width} × ${height} pixels; Hone takes ${SMALLEST_SIDE} to ${LARGEST_SIDE} on a side. Convert it to a usual size first.`,
  );
}

// The first box of a file of the MP4 family has one of these types (ISO/IEC 14496-12).
async function beginsAsMovie(path: string): Promise<boolean> {
  const file = await open(path);
  try {
    const { buffer } = await file.read(Buffer.alloc(8), 0, 8, 0);
    return ['ftyp', 'moov', 'mdat', 'wide', 'free', 'skip', 'pnot'].includes(buffer.toString('latin1', 4, 8));
  } finally {
    await file.close();
  }
}

async function pictureFacts(
  program: string,
  input: MediaInput,
  video: ProbedStream,
  duration: Rational,
): Promise<PictureFacts> {
  const real = parseRational(video.r_frame_rate ?? '');
  const average = parseRational(video.avg_frame_rate ?? '');
  const rate = average && average.num > 0 ? average : real;
  if (!rate || rate.num <= 0)
    throw new UnusableError('The picture has no frame rate. Make a copy of it with one.');
  const counted = Number(video.nb_frames ?? NaN);
  const expected = toNumber(multiply(duration, rate));
  const tick = parseRational(video.time_base ?? '') ?? rational(1, 1000);
  const evenSoFar = input.stills !== null || (await hasEvenStamps(program, input, rate, tick));
  const constantRate = evenSoFar && (Number.isNaN(counted) || Math.abs(counted - expected) <= 1.5);
  const aspect = parseRational((video.sample_aspect_ratio ?? '1:1').replace(':', '/'));
  const turned = video.side_data_list?.find((data) => data.rotation !== undefined)?.rotation ?? 0;
  const pixelFormat = video.pix_fmt ?? 'unknown';
  return {
    ...pixelFormatFacts(pixelFormat),
    ...(hasAlphaBeside(video) ? { alpha: true } : {}),
    codec: video.codec_name ?? 'unknown',
    profile: video.profile ?? '',
    level: video.level !== undefined && video.level > 0 ? video.level : null,
    averageRate: average && average.num > 0 ? average : rate,
    realRate: real && real.num > 0 ? real : null,
    scan: scanOf(video.field_order),
    colour: coloursOf(video),
    size: { width: video.width ?? 0, height: video.height ?? 0 },
    pixelAspect: aspect && aspect.num > 0 ? aspect : rational(1),
    // ffprobe counts against the clock.
    rotation: (((Math.round(-turned / 90) * 90) % 360) + 360) % 360,
    rate: constantRate && real && close(real, rate) ? real : rate,
    constantRate,
    frameCount: input.stills?.count ?? (Number.isNaN(counted) ? Math.round(expected) : counted),
    pixelFormat,
    timescale: parseRational(video.time_base ?? '')?.den ?? 1000,
  };
}

// WebM keeps the transparency of VP8 and VP9 as pictures of its own, and says so in a tag (the WebM container guidelines).
const hasAlphaBeside = ({ codec_name: codec, tags }: ProbedStream): boolean =>
  (codec === 'vp8' || codec === 'vp9') && (tags?.alpha_mode ?? tags?.ALPHA_MODE) === '1';

function scanOf(fieldOrder: string | undefined): Scan {
  // The second letter is the field that is shown first.
  if (fieldOrder === 'tt' || fieldOrder === 'bt') return 'top field first';
  if (fieldOrder === 'bb' || fieldOrder === 'tb') return 'bottom field first';
  return 'progressive';
}

function coloursOf(video: ProbedStream): ColourTags {
  const known = (tag: string | undefined): string | null =>
    tag && tag !== 'unknown' && tag !== 'reserved' ? tag : null;
  const range: Partial<Record<string, ColourTags['range']>> = { tv: 'limited', pc: 'full' };
  return {
    matrix: known(video.color_space),
    primaries: known(video.color_primaries),
    transfer: known(video.color_transfer),
    range: range[video.color_range ?? ''] ?? null,
  };
}

const close = (a: Rational, b: Rational): boolean => Math.abs(toNumber(a) / toNumber(b) - 1) < 0.002;

/** Presentation times of the picture's packets in seconds, ascending. */
export async function pictureStamps(program: string, input: MediaInput, seconds?: number): Promise<number[]> {
  const part = seconds === undefined ? [] : ['-read_intervals', `%+${seconds}`];
  const entries = ['-select_streams', 'v:0', '-show_entries', 'packet=pts_time', '-of', 'csv=p=0'];
  const { output } = await runTool(program, ['-v', 'error', ...part, ...entries, ...probeArguments(input)]);
  return output
    .split('\n')
    .map((line) => parseFloat(line))
    .filter((stamp) => Number.isFinite(stamp))
    .sort((a, b) => a - b);
}

async function hasEvenStamps(
  program: string,
  input: MediaInput,
  rate: Rational,
  tick: Rational,
): Promise<boolean> {
  const read = await pictureStamps(program, input, RATE_SAMPLE_SECONDS);
  // Reading stops between packets, so that the last pictures may be there before those they refer to.
  const stamps = read.length > 4 * REORDERED ? read.slice(0, -REORDERED) : read;
  const step = 1 / toNumber(rate);
  // Stamps are rounded to the file's ticks, and ffprobe writes microseconds.
  const slack = toNumber(tick) + 2e-6 + step * 0.02;
  return stamps.every((stamp, index) => {
    const ideal = (stamps[0] ?? 0) + index * step;
    return Math.abs(stamp - ideal) < slack + index * step * 1e-4;
  });
}

function startOf(stream: ProbedStream): Rational {
  const base = parseRational(stream.time_base ?? '');
  return base && stream.start_pts !== undefined ? multiply(rational(stream.start_pts), base) : ZERO;
}

function durationOf(stream: ProbedStream, whole: string | undefined): Rational {
  const base = parseRational(stream.time_base ?? '');
  if (base && stream.duration_ts) return multiply(rational(stream.duration_ts), base);
  const micros = Math.round(Number(whole ?? 0) * 1e6);
  return Number.isFinite(micros) ? rational(micros, 1_000_000) : ZERO;
}
