import { mkdir, mkdtemp, rm, stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import type { Filmstrip } from '@hone/core/api';
import { shownSize } from '@hone/core/media';
import { toNumber } from '@hone/core/time';
import type { FrameSize } from '@hone/core/timeline';
import { inputArguments, type MediaInput } from '../ffmpeg/input.js';
import { CancelledError, fileArgument, runTool, ToolError } from '../ffmpeg/process.js';
import type { JobHandler } from '../jobs/queue.js';
import { writeAside } from '../store/aside.js';
import type { SourceStore } from './source-store.js';

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
      const strip = stripOf(shownSize(row.facts.picture));
      const drawn = { input: row, seconds: toNumber(row.facts.duration), strip };
      await drawStrip(ffmpeg, drawn, stripPath(folder, row.id), scratch, signal, progress);
      await store.change(row, { strip });
    },
  };
}

/** What a strip is drawn from. */
export interface StripOrder {
  readonly input: MediaInput;
  readonly seconds: number;
  readonly strip: Filmstrip;
}

/** Draws pictures spread over a file as one row. @param scratch folder for what is needed while it works */
export async function drawStrip(
  ffmpeg: string,
  order: StripOrder,
  path: string,
  scratch: string,
  signal?: AbortSignal,
  progress: (done: number) => void = () => undefined,
): Promise<void> {
  await mkdir(dirname(path), { recursive: true });
  await mkdir(scratch, { recursive: true });
  const work = await mkdtemp(join(scratch, 'strip-'));
  try {
    await drawPictures(ffmpeg, order, work, signal, progress);
    const pictures = ['-f', 'image2', '-i', fileArgument(join(work.replaceAll('%', '%%'), '%02d.jpg'))];
    const tile = ['-vf', `tile=${PICTURES}x1`, '-frames:v', '1', '-q:v', '4', '-f', 'mjpeg'];
    await writeAside(path, (aside) =>
      runTool(ffmpeg, ['-v', 'error', '-y', ...pictures, ...tile, fileArgument(aside)], { signal }),
    );
  } finally {
    await rm(work, { recursive: true, force: true });
  }
}

// ffmpeg can end well and leave an empty file, or none.
const isDrawn = (path: string): Promise<boolean> =>
  stat(path).then(
    ({ size }) => size > 0,
    () => false,
  );

/** How pictures of a size stand in a strip. */
export const stripOf = ({ width, height }: FrameSize): Filmstrip => ({
  pictures: PICTURES,
  width: Math.max(2, 2 * Math.round((HEIGHT * width) / height / 2)),
  height: HEIGHT,
});

async function drawPictures(
  ffmpeg: string,
  { input, seconds, strip: { width, height } }: StripOrder,
  work: string,
  signal: AbortSignal | undefined,
  progress: (done: number) => void,
): Promise<void> {
  for (let picture = 0; picture < PICTURES; picture++) {
    const path = join(work, `${String(picture + 1).padStart(2, '0')}.jpg`);
    const scale = `scale=${width}:${height}:flags=area,format=yuvj420p`;
    const draw = (seek: readonly string[]): Promise<unknown> =>
      runTool(
        ffmpeg,
        [
          ...['-v', 'error', '-y', '-threads', '1', ...seek, ...inputArguments(input), '-an', '-vf', scale],
          ...['-frames:v', '1', '-q:v', '4', '-f', 'mjpeg', fileArgument(path)],
        ],
        { signal },
      );
    const at = (seconds * (picture + 0.5)) / PICTURES;
    const attempts = [
      ['-skip_frame', 'nokey', '-noaccurate_seek', '-ss', at.toFixed(3)],
      // No key frame comes after this place, so the picture itself is decoded.
      ['-ss', at.toFixed(3)],
      [],
    ];
    for (const seek of attempts) {
      try {
        await draw(seek);
      } catch (error) {
        if (error instanceof CancelledError || !(error instanceof ToolError) || seek.length === 0)
          throw error;
      }
      if (await isDrawn(path)) break;
      if (seek.length === 0) throw new Error('ffmpeg gives out no picture of this file.');
    }
    progress((picture + 1) / PICTURES);
  }
}
