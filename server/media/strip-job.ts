import { mkdir, mkdtemp, rm, stat } from 'node:fs/promises';
import { join } from 'node:path';
import type { Filmstrip } from '@hone/core/api';
import { shownSize } from '@hone/core/media';
import { toNumber } from '@hone/core/time';
import { inputArguments } from '../ffmpeg/input.js';
import { CancelledError, fileArgument, runTool, ToolError } from '../ffmpeg/process.js';
import type { JobHandler } from '../jobs/queue.js';
import { writeAside } from '../store/aside.js';
import type { SourceRow, SourceStore } from './source-store.js';

const PICTURES = 12;
const HEIGHT = 90;

export const stripPath = (folder: string, id: string): string => join(folder, `${id}.strip.jpg`);

/**
 * Makes the filmstrip of a source: key frames only, so that it costs little beside other work.
 * @param scratch folder for what is needed while it works
 */
export function stripHandler(
  store: SourceStore,
  ffmpeg: string,
  folder: string,
  scratch: string,
): JobHandler {
  return {
    kind: 'strip',
    lane: 'light',
    priority: 4,
    async run({ job, signal, progress }) {
      const row = await store.readable(job.subjectId);
      if (!row.facts?.picture) return;
      await mkdir(folder, { recursive: true });
      await mkdir(scratch, { recursive: true });
      const work = await mkdtemp(join(scratch, 'strip-'));
      try {
        const strip = stripOf(row);
        await drawPictures(ffmpeg, row, strip, work, signal, progress);
        const tile = [
          ...['-f', 'image2', '-i', fileArgument(join(work.replaceAll('%', '%%'), '%02d.jpg'))],
          '-vf',
          `tile=${PICTURES}x1`,
          '-frames:v',
          '1',
        ];
        const form = ['-q:v', '4', '-f', 'mjpeg'];
        await writeAside(stripPath(folder, row.id), (aside) =>
          runTool(ffmpeg, ['-v', 'error', '-y', ...tile, ...form, fileArgument(aside)], { signal }),
        );
        await store.change(row, { strip });
      } finally {
        await rm(work, { recursive: true, force: true });
      }
    },
  };
}

function stripOf(row: SourceRow): Filmstrip {
  const { width, height } = shownSize(row.facts!.picture!);
  return {
    pictures: PICTURES,
    width: Math.max(2, 2 * Math.round((HEIGHT * width) / height / 2)),
    height: HEIGHT,
  };
}

async function drawPictures(
  ffmpeg: string,
  row: SourceRow,
  { width, height }: Filmstrip,
  work: string,
  signal: AbortSignal,
  progress: (done: number) => void,
): Promise<void> {
  const seconds = toNumber(row.facts!.duration);
  for (let picture = 0; picture < PICTURES; picture++) {
    const path = join(work, `${String(picture + 1).padStart(2, '0')}.jpg`);
    const scale = `scale=${width}:${height}:flags=area,format=yuvj420p`;
    const draw = (seek: readonly string[]): Promise<unknown> =>
      runTool(
        ffmpeg,
        [
          ...['-v', 'error', '-y', '-threads', '1', ...seek, ...inputArguments(row), '-an', '-vf', scale],
          ...['-frames:v', '1', '-q:v', '4', '-f', 'mjpeg', fileArgument(path)],
        ],
        { signal },
      );
    const at = (seconds * (picture + 0.5)) / PICTURES;
    try {
      await draw(['-skip_frame', 'nokey', '-noaccurate_seek', '-ss', at.toFixed(3)]);
      await stat(path);
    } catch (error) {
      if (error instanceof CancelledError) throw error;
      if (!(error instanceof ToolError) && (error as NodeJS.ErrnoException).code !== 'ENOENT') throw error;
      // No key frame after this place: whatever can be decoded from the start of the file stands in for it.
      await draw([]);
    }
    progress((picture + 1) / PICTURES);
  }
}
