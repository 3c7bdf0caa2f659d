import { figureOf, type Figure } from '@hone/core/machine';
import { inputArguments } from '../ffmpeg/input.js';
import { runTool, ToolError } from '../ffmpeg/process.js';
import type { SourceRow } from '../media/source-store.js';

export interface FfmpegMeasurement {
  readonly ffmpeg: string;
  readonly seconds: number;
  /** Repetitions that count. */
  readonly rounds: number;
  readonly disturbed: boolean;
  readonly signal: AbortSignal;
}

/**
 * Frames a second that ffmpeg decodes of a source with so many threads; null when it does not.
 * @param hardware arguments that have it decoded in hardware
 */
export async function decodeRate(
  row: SourceRow,
  threads: number,
  how: FfmpegMeasurement,
  hardware: readonly string[] = [],
): Promise<Figure | null> {
  const rates: number[] = [];
  // The first pass also pays for reading the file; it is not counted.
  for (let round = 0; round <= how.rounds; round++) {
    const rate = await decodeOnce(row, threads, how, hardware);
    if (rate === undefined) return null;
    if (round > 0) rates.push(rate);
  }
  const by = hardware.length ? `in hardware (${hardware.at(-1)})` : threadsText(threads);
  const method = `ffmpeg to nothing, ${by}`;
  return figureOf(rates, { method, measuredAt: new Date().toISOString(), disturbed: how.disturbed });
}

const threadsText = (threads: number): string =>
  threads === 0 ? 'all cores' : threads === 1 ? 'one thread' : `${threads} threads`;

async function decodeOnce(
  row: SourceRow,
  threads: number,
  { ffmpeg, seconds, signal }: FfmpegMeasurement,
  hardware: readonly string[],
): Promise<number | undefined> {
  const limit = ['-t', String(seconds)];
  const count = threads === 0 ? [] : ['-threads', String(threads)];
  const args = [
    '-v',
    'error',
    '-nostdin',
    '-benchmark',
    ...hardware,
    ...count,
    ...limit,
    ...inputArguments(row),
    '-an',
  ];
  let frames = 0;
  try {
    const output = ['-map', '0:v:0', '-progress', 'pipe:1', '-nostats', '-f', 'null', '-'];
    const { errors } = await runTool(ffmpeg, [...args, '-v', 'info', ...output], {
      signal,
      onLine: (line) => {
        const match = /^frame=\s*(\d+)/.exec(line);
        if (match) frames = Number(match[1]);
      },
    });
    const real = Number(/rtime=([\d.]+)s/.exec(errors)?.[1] ?? NaN);
    return real > 0 && frames > 0 ? frames / real : undefined;
  } catch (error) {
    if (error instanceof ToolError) return undefined;
    throw error;
  }
}

/** Why work failed, in ffmpeg's words; undefined when it did not. */
export async function failureOf(work: () => Promise<unknown>): Promise<string | undefined> {
  try {
    await work();
    return undefined;
  } catch (error) {
    if (!(error instanceof ToolError)) throw error;
    return reasonOf(error);
  }
}

// The first line that names a cause; what follows it only says that nothing came out.
function reasonOf({ output, message }: ToolError): string {
  const lines = (output || message).split('\n').map((line) => line.replace(/\[[^\]]*\] */, '').trim());
  const telling = lines.find((line) =>
    /(cannot|could not|failed|failure|unsupported|unable|unknown|invalid)/i.test(line),
  );
  return (telling ?? lines.filter(Boolean).at(-1) ?? 'no reason given').slice(0, 300);
}
