import { inputArguments, type MediaInput } from './input.js';
import { UnusableError, waitingFor } from './probe.js';
import { runFfmpeg, runTool, ToolError } from './process.js';

/**
 * Checks that the end of a file exists, by reading its last packets. Their content does not matter here: damaged pictures
 * are no reason to refuse a file.
 * @param container as ffprobe names it
 * @returns warnings of ffmpeg
 * @throws UnusableError when it is not; WaitingError when it cannot be read for the time being
 */
export async function requireWhole(program: string, input: MediaInput, container: string): Promise<string> {
  if (input.stills) return '';
  const args = ['-hide_banner', '-nostdin', '-v', 'warning', '-sseof', '-2', ...inputArguments(input)];
  const output = ['-map', '0:v:0?', '-map', '0:a:0?', '-c', 'copy', '-f', 'framecrc', '-'];
  let errors = '';
  // A line for each packet, and some that begin with "#".
  let packets = 0;
  const onLine = (line: string): void => void (packets += line.startsWith('#') ? 0 : 1);
  try {
    ({ errors } = await runTool(program, [...args, ...output], { onLine }));
  } catch (error) {
    if (!(error instanceof ToolError)) throw error;
    const waiting = waitingFor(error);
    if (waiting) throw waiting;
    errors = error.output;
  }
  // A transport stream calls a packet corrupt where the transmission was disturbed, which says nothing of the end.
  const short = container.includes('mpegts')
    ? /partial file/i
    : /partial file|Packet corrupt|File ended prematurely/i;
  if (packets === 0 || short.test(errors)) {
    throw new UnusableError(
      'The file is cut off: its end cannot be read. Copy it from the camera or card again.',
    );
  }
  return errors;
}

/** Result of decoding a whole file. */
export interface DecodedThrough {
  readonly frames: number;
  /** Messages of the decoder; empty without any. */
  readonly faults: readonly string[];
}

interface DecodeOptions {
  readonly signal?: AbortSignal | undefined;
  readonly onFrame?: (frame: number) => void;
  /** Outputs besides the one that counts. */
  readonly outputs?: readonly string[];
}

/**
 * Decodes the picture of a file from beginning to end and counts its frames.
 * @throws ToolError when it cannot be decoded
 */
export async function decodeThrough(
  ffmpeg: string,
  input: MediaInput,
  { signal, onFrame, outputs = [] }: DecodeOptions = {},
): Promise<DecodedThrough> {
  let frames = 0;
  const args = [
    '-v',
    'error',
    ...inputArguments(input),
    '-map',
    '0:v:0',
    '-fps_mode',
    'passthrough',
    '-f',
    'null',
    '-',
  ];
  const errors = await runFfmpeg(ffmpeg, [...args, ...outputs], {
    signal,
    onFrame: (frame) => {
      frames = frame;
      onFrame?.(frame);
    },
  });
  return { frames, faults: errors.split('\n').filter(Boolean) };
}
