import { mean, sum } from 'd3-array';
import type { Likeness } from '@hone/core/api';
import { deinterlacing, stacking, straightAlpha, type PictureFacts } from '@hone/core/media';
import { toNumber } from '@hone/core/time';
import { pickFrame, type FramePick } from '../ffmpeg/frame-pick.js';
import { plainFile, type MediaInput } from '../ffmpeg/input.js';
import { pictureStamps } from '../ffmpeg/probe.js';
import { runFfmpeg, type FfmpegTools } from '../ffmpeg/process.js';
import type { JobHandler } from '../jobs/queue.js';
import type { SourceRow, SourceStore } from '../media/source-store.js';
import type { CopyRow, CopyStore } from './copy-store.js';

const PLACES = 4;
const FRAMES_A_PLACE = 6;

/** Compares a light copy with its source at places spread over the clip. */
export function likenessHandler(sources: SourceStore, copies: CopyStore, tools: FfmpegTools): JobHandler {
  return {
    kind: 'likeness',
    lane: 'heavy',
    priority: 1,
    async run({ job, signal, progress }) {
      const copy = await copies.get(job.subjectId);
      const source = await sources.readable(copy.sourceId);
      const picture = source.facts!.picture!;
      const { frameCount } = picture;
      const frameTimes = await stampsOf(tools.ffprobe, source);
      const copyTimes = await pictureStamps(tools.ffprobe, plainFile(copy.path));
      const colours = conversionOf(picture, copy, await hasZimg(tools.ffmpeg, signal));
      const conversion = copy.alphaRow === null ? colours : withAlphaBelow(picture, copy, colours);
      const parts: Likeness[] = [];
      for (let place = 0; place < PLACES; place++) {
        const first = Math.max(0, Math.floor((frameCount * (place + 0.5)) / PLACES) - FRAMES_A_PLACE / 2);
        const sourceFrames = { input: source, times: frameTimes, first };
        const copyFrames = { input: plainFile(copy.path), times: copyTimes, first };
        parts.push(await likenessAt(tools.ffmpeg, copyFrames, sourceFrames, conversion, signal));
        progress((place + 1) / PLACES);
      }
      await copies.change(copy, { likeness: meanOf(parts) });
    },
  };
}

interface FramesFrom {
  readonly input: MediaInput;
  /** Time stamps of all frames, ascending, in seconds. */
  readonly times: readonly number[];
  /** Number of the first frame that is compared. */
  readonly first: number;
}

// Numbered stills have no stamps in a file: they stand on the grid of their rate.
async function stampsOf(ffprobe: string, source: SourceRow): Promise<readonly number[]> {
  const { frameCount, rate } = source.facts!.picture!;
  if (!source.stills) return pictureStamps(ffprobe, source);
  return Array.from({ length: frameCount }, (_, frame) => frame / toNumber(rate));
}

/**
 * Compares frames by their numbers: time stamps are set aside once the first frame is found, since the two files count
 * time in different ticks.
 */
async function likenessAt(
  ffmpeg: string,
  copy: FramesFrom,
  source: FramesFrom,
  conversion: string,
  signal: AbortSignal,
): Promise<Likeness> {
  const pick = ({ input, times, first }: FramesFrom): FramePick =>
    pickFrame(input, times[first]!, first > 0 ? times[first]! - times[first - 1]! : 1);
  const [ofCopy, ofSource] = [pick(copy), pick(source)];
  const numbered = `trim=end_frame=${FRAMES_A_PLACE},settb=1/1000,setpts=N`;
  const filters =
    `[0:v]${ofCopy.select},${numbered},format=yuv420p,setsar=1,split[a][b];` +
    `[1:v]${ofSource.select},${numbered},${conversion},format=yuv420p,setsar=1,split[c][d];` +
    '[a][c]ssim[x];[b][d]psnr[y]';
  const errors = await runFfmpeg(
    ffmpeg,
    [
      ...['-v', 'info', '-copyts', ...ofCopy.open, ...ofSource.open],
      ...['-filter_complex', filters, '-map', '[x]', '-map', '[y]', '-f', 'null', '-'],
    ],
    { signal },
  );
  const ssim = /SSIM.* All:([\d.]+)/.exec(errors)?.[1];
  const psnr = /PSNR.* average:([\d.]+|inf)/.exec(errors)?.[1];
  if (ssim === undefined || psnr === undefined) throw new Error('ffmpeg did not say how like the copy is.');
  return { ssim: Number(ssim), psnrDb: psnr === 'inf' ? 100 : Number(psnr), frames: FRAMES_A_PLACE };
}

/**
 * The filters that bring a source to the size and the colours of its copy along another way than the copy was made: zimg
 * converts the colours at full size and depth before anything is reduced, so that a fault of one library is not measured
 * against itself.
 */
function conversionOf(
  picture: PictureFacts,
  { width, height }: Pick<CopyRow, 'width' | 'height'>,
  hasZimgFilter: boolean,
): string {
  const { chroma, colour, scan } = picture;
  const matrix = colour.matrix ?? 'bt709';
  const isPlain = chroma !== 'RGB' && matrix === 'bt709' && colour.range !== 'full';
  const known = ZIMG_MATRICES[matrix];
  const from =
    chroma === 'RGB'
      ? 'matrixin=gbr:rangein=full'
      : `matrixin=${known}:rangein=${colour.range === 'full' ? 'full' : 'limited'}`;
  const planar = chroma === 'RGB' ? 'format=gbrp,' : '';
  const convert =
    isPlain || !hasZimgFilter || (chroma !== 'RGB' && !known)
      ? ''
      : `${planar}zscale=${from}:matrix=709:range=limited,format=yuv444p16,`;
  const area = `scale=${width}:${height}:flags=area`;
  if (convert || isPlain) {
    const same = 'in_color_matrix=bt709:out_color_matrix=bt709:in_range=tv:out_range=tv';
    return `${deinterlacing(scan)}${convert}${area}:${same}`;
  }
  return `${deinterlacing(scan)}format=gbrp16,${area}:out_color_matrix=bt709:out_range=tv`;
}

/** The filters that lay a source out as its copy with alpha is: the alpha below the colours. */
function withAlphaBelow(
  picture: PictureFacts,
  { width, height }: Pick<CopyRow, 'width' | 'height'>,
  colours: string,
): string {
  const below = stacking({ width, height });
  return (
    `${straightAlpha(picture)}split[ofcolours][ofalpha];[ofcolours]${colours},format=yuv420p${below}[above];` +
    `[ofalpha]alphaextract,scale=${width}:${height}:flags=area,format=yuv420p${below}[below];[above][below]vstack`
  );
}

/** ffmpeg's names of matrices, as the filter zscale names them. */
const ZIMG_MATRICES: Readonly<Partial<Record<string, string>>> = {
  bt709: '709',
  smpte170m: '170m',
  bt470bg: '470bg',
  bt2020nc: '2020_ncl',
  fcc: 'fcc',
};

let zimgFound: boolean | undefined;

async function hasZimg(ffmpeg: string, signal: AbortSignal): Promise<boolean> {
  const source = ['-f', 'lavfi', '-i', 'color=s=64x64:d=0.04'];
  const filter = ['-vf', 'zscale=matrixin=170m:matrix=709', '-f', 'null', '-'];
  zimgFound ??= await runFfmpeg(ffmpeg, ['-v', 'error', ...source, ...filter], {
    signal,
    stallMs: 10_000,
  }).then(
    () => true,
    () => false,
  );
  return zimgFound;
}

function meanOf(parts: readonly Likeness[]): Likeness {
  return {
    ssim: mean(parts, ({ ssim }) => ssim)!,
    psnrDb: mean(parts, ({ psnrDb }) => psnrDb)!,
    frames: sum(parts, ({ frames }) => frames),
  };
}
