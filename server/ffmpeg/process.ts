import { once } from 'node:events';
import { constants } from 'node:os';
import { createInterface } from 'node:readline';
import type { Readable, Writable } from 'node:stream';
import { finished } from 'node:stream/promises';
import { processorTicks } from '../process/identity.js';
import { playbackHold } from '../process/playback-hold.js';
import { endingOf, isProgramMissing, lowerPriority, spawnChild } from '../process/spawn-child.js';

/**
 * Demuxers of media that hold their pictures and sound themselves, and those of what Hone makes. Playlists (hls, dash,
 * concat, imf and others) are not among them: they name other files, which would then be read in their place.
 */
const INPUT_FORMATS = [
  'mov,matroska,webm,avi,mxf,mpegts,mpeg,mpegvideo,flv,asf,ogg,gxf,nut,ivf,y4m,yuv4mpegpipe,rawvideo,dv,h264,hevc,m4v,av1,obu',
  'vc1,vc1test,mjpeg,gif,apng,bmp_pipe,dpx_pipe,exr_pipe,jpeg_pipe,png_pipe,svg_pipe,tiff_pipe,webp_pipe',
  'wav,w64,rf64,aiff,caf,au,flac,mp3,aac,ac3,eac3,dts,truehd,ape,tta,wv,oma,amr,s16le,pcm_s16le',
].join(',');

/** Where the programs of the ffmpeg family are. */
export interface FfmpegTools {
  readonly ffmpeg: string;
  readonly ffprobe: string;
}

/** A program of the ffmpeg family that did not do what it was asked. */
export class ToolError extends Error {
  override readonly name = 'ToolError';

  constructor(
    message: string,
    /** The last lines that the program wrote. */
    readonly output: string,
  ) {
    super(message);
  }
}

/** A missing program of the ffmpeg family: fixed by installing it. */
export class MissingToolError extends ToolError {
  constructor(program: string) {
    super(
      `${program} is not installed. Install ffmpeg, or set HONE_FFMPEG and HONE_FFPROBE to where it is.`,
      '',
    );
  }
}

export class CancelledError extends Error {
  override readonly name = 'CancelledError';
}

export interface ToolOptions {
  readonly signal?: AbortSignal | undefined;
  /** Longest time without output, ms; a program that uses the processor has `MAX_SILENCES` times as long. */
  readonly stallMs?: number;
  /** Called with each line of standard output. */
  readonly onLine?: (line: string) => void;
  /** Called with each line of standard error. */
  readonly onErrorLine?: (line: string) => void;
  /** Called with standard output as it comes; lines are then not gathered. */
  readonly onOutput?: (chunk: Buffer) => void;
  /** Where standard output goes, as fast as it is taken; lines are then not gathered. */
  readonly into?: Writable;
  /** Writes standard input. */
  readonly input?: (stdin: Writable) => Promise<void>;
  /** Low, so that playback and everything else go first, unless playback itself waits for it. */
  readonly priority?: 'low' | 'normal';
}

const STALL_MS = 120_000;
/** A program that is silent but works, as on a busy machine, is stopped after this many times `stallMs`. */
const MAX_SILENCES = 5;
const KEPT_LINES = 60;

/** The form of a path that ffmpeg cannot take for an option or another protocol. */
export const fileArgument = (path: string): string => `file:${path}`;

/**
 * Allows each input nothing but files and pipes, and no format that opens further files, numbered stills apart where
 * they are asked for.
 */
export function guardInputs(args: readonly string[]): string[] {
  let forced: string | undefined;
  return args.flatMap((arg, at) => {
    if (args[at - 1] === '-f') forced = arg;
    if (arg !== '-i') return [arg];
    const protocols = ['-protocol_whitelist', 'file,pipe'];
    const formats = forced ?? INPUT_FORMATS;
    forced = undefined;
    return [...protocols, '-format_whitelist', formats, arg];
  });
}

/**
 * Runs ffmpeg or ffprobe at low priority, reading nothing but files and pipes.
 * @param args as after the program's name; each `-i` is followed by what `fileArgument` made
 * @returns everything written to standard output and, separately, to standard error
 * @throws ToolError when the program fails, is missing or stalls; CancelledError when the signal aborts
 */
export async function runTool(
  program: string,
  args: readonly string[],
  {
    signal,
    stallMs = STALL_MS,
    onLine,
    onErrorLine,
    onOutput,
    into,
    input,
    priority = 'low',
  }: ToolOptions = {},
): Promise<{ output: string; errors: string }> {
  if (signal?.aborted) throw new CancelledError('Cancelled.');
  const child = spawnChild(program, guardInputs(args), signal, input !== undefined);
  if (input && child.stdin) void input(child.stdin);
  const lines: string[] = [];
  const errorLines: string[] = [];
  const watch = { hasStalled: false, silences: 0, ticks: 0 };
  const onSilence = async (): Promise<void> => {
    if (playbackHold.wasStopped(child.pid, stallMs)) return void stall.refresh();
    const ticks = (child.pid !== undefined && (await processorTicks(child.pid))) || 0;
    const hasWorked = ticks > watch.ticks;
    watch.ticks = ticks;
    watch.silences++;
    if (hasWorked && watch.silences < MAX_SILENCES) return void stall.refresh();
    watch.hasStalled = true;
    child.kill();
  };
  const stall = setTimeout(() => void onSilence(), stallMs);
  const alive = (): void => {
    watch.silences = 0;
    stall.refresh();
  };
  if (priority === 'low')
    child.once('spawn', () => lowerPriority(child.pid, constants.priority.PRIORITY_LOW));
  if (onOutput) {
    child.stdout.on('data', (chunk: Buffer) => {
      alive();
      onOutput(chunk);
    });
  }
  const outputEnds = into
    ? passOn(child.stdout, into, alive, signal)
    : onOutput
      ? finished(child.stdout)
      : eachLine(child.stdout, (line) => {
          alive();
          if (onLine) onLine(line);
          else lines.push(line);
        });
  const errorsEnd = eachLine(child.stderr, (line) => {
    alive();
    onErrorLine?.(line);
    errorLines.push(line);
    if (errorLines.length > KEPT_LINES) errorLines.shift();
  });
  const [ended] = await Promise.all([child, outputEnds.catch(() => undefined), errorsEnd]);
  clearTimeout(stall);
  const errors = errorLines.join('\n');
  if (signal?.aborted) throw new CancelledError('Cancelled.');
  if (watch.hasStalled)
    throw new ToolError(`${program} did nothing for ${stallMs / 1000} s and was stopped.`, errors);
  if (ended.code === 'ENOENT' || isProgramMissing(ended.exitCode, errors))
    throw new MissingToolError(program);
  if (ended.failed && ended.exitCode === undefined && ended.signal === undefined)
    throw new ToolError(`${program} could not be started: ${ended.originalMessage}.`, '');
  if (ended.failed)
    throw new ToolError(lastSentence(errors) || `${program} was ended by ${endingOf(child)}.`, errors);
  return { output: lines.join('\n'), errors };
}

/** Passes a stream on, which waits while it is not taken. */
async function passOn(
  stream: Readable,
  into: Writable,
  onChunk: () => void,
  signal: AbortSignal | undefined,
): Promise<void> {
  for await (const chunk of stream) {
    onChunk();
    if (into.destroyed) return;
    if (!into.write(chunk)) await once(into, 'drain', signal ? { signal } : {});
  }
}

async function eachLine(stream: Readable, take: (line: string) => void): Promise<void> {
  const lines = createInterface({ input: stream });
  lines.on('line', take);
  await once(lines, 'close');
}

// ffmpeg ends with the most general line; the one before it often names the cause.
function lastSentence(errors: string): string {
  return errors.split('\n').filter(Boolean).slice(-2).join(' ').replaceAll('file:', '');
}

/**
 * Runs ffmpeg and follows its progress.
 * @param onFrame called with the number of frames written so far
 */
export async function runFfmpeg(
  program: string,
  args: readonly string[],
  options: ToolOptions & { readonly onFrame?: (frame: number) => void } = {},
): Promise<string> {
  const { onFrame, ...rest } = options;
  const onLine = (line: string): void => {
    const match = /^frame=\s*(\d+)/.exec(line);
    if (match) onFrame?.(Number(match[1]));
  };
  const common = [
    '-hide_banner',
    '-nostdin',
    '-nostats',
    '-y',
    '-progress',
    'pipe:1',
    '-stats_period',
    '0.3',
  ];
  const { errors } = await runTool(program, [...common, ...args], { ...rest, onLine });
  return errors;
}

/**
 * Runs ffmpeg on frames that other runs of it write, one after the other.
 * @param renders arguments of those, whose standard output is what `args` read from standard input
 * @param onFrame called with the number of frames written so far
 */
export async function runFedFfmpeg(
  program: string,
  renders: readonly (readonly string[])[],
  args: readonly string[],
  options: Pick<ToolOptions, 'signal'> & { readonly onFrame?: (frame: number) => void },
): Promise<void> {
  const ended = new AbortController();
  const signal = AbortSignal.any([ended.signal, ...(options.signal ? [options.signal] : [])]);
  /** Why a render failed. */
  let fault: unknown;
  const input = async (stdin: Writable): Promise<void> => {
    stdin.on('error', () => undefined);
    try {
      for (const render of renders) {
        const quiet = ['-hide_banner', '-nostdin', '-v', 'error'];
        await runTool(program, [...quiet, ...render, 'pipe:1'], { signal, into: stdin });
      }
      stdin.end();
    } catch (error) {
      // Where the reader ended by itself, it says why.
      if (stdin.destroyed) return;
      fault = error;
      ended.abort();
    }
  };
  try {
    await runFfmpeg(program, args, { ...options, signal, input });
  } catch (error) {
    if (options.signal?.aborted) throw new CancelledError('Cancelled.');
    throw fault ?? error;
  } finally {
    ended.abort();
  }
}
