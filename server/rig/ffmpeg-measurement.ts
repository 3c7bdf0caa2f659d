import { figureOf, type Figure, type HardwarePath } from '@hone/core/machine';
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

/** Frames a second that ffmpeg decodes of a source with so many threads; null when it does not. */
export async function decodeRate(
  row: SourceRow,
  threads: number,
  how: FfmpegMeasurement,
): Promise<Figure | null> {
  const rates: number[] = [];
  // The first pass also pays for reading the file; it is not counted.
  for (let round = 0; round <= how.rounds; round++) {
    const rate = await decodeOnce(row, threads, how);
    if (rate === undefined) return null;
    if (round > 0) rates.push(rate);
  }
  const method = `ffmpeg to nothing, ${threads === 0 ? 'all cores' : threads === 1 ? 'one thread' : `${threads} threads`}`;
  return figureOf(rates, { method, measuredAt: new Date().toISOString(), disturbed: how.disturbed });
}

async function decodeOnce(
  row: SourceRow,
  threads: number,
  { ffmpeg, seconds, signal }: FfmpegMeasurement,
): Promise<number | undefined> {
  const limit = ['-t', String(seconds)];
  const count = threads === 0 ? [] : ['-threads', String(threads)];
  const args = ['-v', 'error', '-nostdin', '-benchmark', ...count, ...limit, ...inputArguments(row), '-an'];
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

// The first line that names a cause; what follows it only says that nothing came out.
function reasonOf(error: unknown): string {
  if (!(error instanceof ToolError)) throw error;
  const lines = (error.output || error.message)
    .split('\n')
    .map((line) => line.replace(/\[[^\]]*\] */, '').trim());
  const telling = lines.find((line) =>
    /(cannot|could not|failed|failure|unsupported|unable|unknown|invalid)/i.test(line),
  );
  return (telling ?? lines.filter(Boolean).at(-1) ?? 'no reason given').slice(0, 300);
}

/** Pixel formats of frames that stay in the hardware, where they are not named as the method is. */
const HARDWARE_FORMATS: Readonly<Record<string, string>> = {
  drm: 'drm_prime',
  d3d11va: 'd3d11',
  dxva2: 'dxva2_vld',
  videotoolbox: 'videotoolbox_vld',
};

/**
 * Which hardware paths ffmpeg was built with, each tried with real frames. ffmpeg silently continues in software when a
 * method is not there; downloading the frames from the hardware fails then, and tells.
 */
export async function hardwarePaths(
  sample: SourceRow | undefined,
  { ffmpeg, signal }: Pick<FfmpegMeasurement, 'ffmpeg' | 'signal'>,
): Promise<HardwarePath[]> {
  const paths: HardwarePath[] = [];
  const attempt = async (
    use: HardwarePath['use'],
    name: string,
    codec: string,
    args: readonly string[],
  ): Promise<void> => {
    try {
      await runTool(ffmpeg, ['-hide_banner', '-v', 'verbose', '-nostdin', ...args, '-f', 'null', '-'], {
        signal,
      });
      paths.push({ use, name, codec, works: true, reason: '' });
    } catch (error) {
      paths.push({ use, name, codec, works: false, reason: reasonOf(error) });
    }
  };
  const { output: listed } = await runTool(ffmpeg, ['-v', 'error', '-hwaccels'], { signal });
  const methods = listed
    .split('\n')
    .slice(1)
    .map((line) => line.trim())
    .filter(Boolean);
  for (const name of sample ? methods : []) {
    const method = ['-hwaccel', name, '-hwaccel_output_format', HARDWARE_FORMATS[name] ?? name];
    const output = ['-map', '0:v:0', '-frames:v', '3', '-vf', 'hwdownload,format=nv12'];
    await attempt('decode', name, sample!.facts!.picture!.codec, [
      ...method,
      ...inputArguments(sample!),
      ...output,
    ]);
  }
  const { output: encoders } = await runTool(ffmpeg, ['-v', 'error', '-encoders'], { signal });
  const hardware = [
    ...encoders.matchAll(/^ V\S* (\w+_(?:vaapi|nvenc|qsv|v4l2m2m|amf|videotoolbox|mf))\s/gm),
  ].map(([, name]) => name!);
  for (const name of hardware) {
    const isVaapi = name.endsWith('_vaapi');
    const device = isVaapi ? ['-vaapi_device', '/dev/dri/renderD128'] : [];
    const upload = isVaapi ? ['-vf', 'format=nv12,hwupload'] : ['-pix_fmt', 'yuv420p'];
    const input = ['-f', 'lavfi', '-i', 'testsrc2=s=1280x720:r=24:d=0.25'];
    await attempt('encode', name, name.split('_')[0]!, [...device, ...input, ...upload, '-c:v', name]);
  }
  return paths;
}
