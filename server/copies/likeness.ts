import type { Likeness } from '@hone/core/api';
import { copyScaling } from '@hone/core/media';
import { toNumber } from '@hone/core/time';
import { inputArguments } from '../ffmpeg/input.js';
import { fileArgument, runFfmpeg } from '../ffmpeg/process.js';
import type { JobHandler } from '../jobs/queue.js';
import type { SourceRow, SourceStore } from '../media/source-store.js';
import type { CopyRow, CopyStore } from './copy-store.js';

const PLACES = 4;
const FRAMES_A_PLACE = 6;

/** Compares a light copy with its source, reduced by the same filter, at places spread over the clip. */
export function likenessHandler(sources: SourceStore, copies: CopyStore, ffmpeg: string): JobHandler {
  return {
    kind: 'likeness',
    lane: 'heavy',
    priority: 1,
    async run({ job, signal, progress }) {
      const copy = await copies.get(job.subjectId);
      const source = await sources.get(copy.sourceId);
      const seconds = toNumber(source.facts!.duration);
      const parts: Likeness[] = [];
      for (let place = 0; place < PLACES; place++) {
        const at = (seconds * (place + 0.5)) / PLACES;
        parts.push(await likenessAt(ffmpeg, copy, source, at, signal));
        progress((place + 1) / PLACES);
      }
      await copies.change(copy, { likeness: meanOf(parts) });
    },
  };
}

async function likenessAt(
  ffmpeg: string,
  copy: CopyRow,
  source: SourceRow,
  seconds: number,
  signal: AbortSignal,
): Promise<Likeness> {
  const seek = ['-ss', seconds.toFixed(6)];
  const cut = `trim=end_frame=${FRAMES_A_PLACE},setpts=N`;
  const filters =
    `[0:v]${cut},split[a][b];[1:v]${cut},${copyScaling(copy, source.facts!.picture!.scan)},format=yuv420p,setsar=1,split[c][d];` +
    '[a][c]ssim[x];[b][d]psnr[y]';
  const errors = await runFfmpeg(
    ffmpeg,
    [
      ...['-v', 'info', ...seek, '-i', fileArgument(copy.path), ...seek, ...inputArguments(source)],
      ...['-filter_complex', filters, '-map', '[x]', '-map', '[y]', '-f', 'null', '-'],
    ],
    { signal },
  );
  const ssim = /SSIM.* All:([\d.]+)/.exec(errors)?.[1];
  const psnr = /PSNR.* average:([\d.]+|inf)/.exec(errors)?.[1];
  if (ssim === undefined || psnr === undefined) throw new Error('ffmpeg did not say how like the copy is.');
  return { ssim: Number(ssim), psnrDb: psnr === 'inf' ? 100 : Number(psnr), frames: FRAMES_A_PLACE };
}

function meanOf(parts: readonly Likeness[]): Likeness {
  const mean = (of: (part: Likeness) => number): number =>
    parts.reduce((sum, part) => sum + of(part), 0) / parts.length;
  return {
    ssim: mean((part) => part.ssim),
    psnrDb: mean((part) => part.psnrDb),
    frames: parts.reduce((sum, part) => sum + part.frames, 0),
  };
}
