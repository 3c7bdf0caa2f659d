import { copyFile, mkdir, mkdtemp, rm, stat } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import type { Filmstrip } from '@hone/core/api';
import { shownSize } from '@hone/core/media';
import { toNumber } from '@hone/core/time';
import type { FrameSize } from '@hone/core/timeline';
import { inputArguments, type MediaInput } from '../ffmpeg/input.js';
import { CancelledError, fileArgument, MissingToolError, runTool, ToolError } from '../ffmpeg/process.js';
import type { JobHandler } from '../jobs/queue.js';
import { writeAside } from '../store/aside.js';
import type { SourceStore } from './source-store.js';

const PICTURES = 12;
const HEIGHT = 90;

export const stripPath = (folder: string, id: string): string => join(folder, `${id}.strip.jpg`);

/**
 * Makes the filmstrip of a source: key frames only, so that it costs little beside other work.
 * @param scratch folder for temporary files
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

/** Inputs of a filmstrip. */
export interface StripOrder {
  readonly input: MediaInput;
  readonly seconds: number;
  readonly strip: Filmstrip;
}

/** Draws pictures spread over a file as one row. @param scratch folder for temporary files */
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

/** Layout of the pictures of a filmstrip. */
export const stripOf = ({ width, height }: FrameSize): Filmstrip => ({
  pictures: PICTURES,
  width: Math.max(2, 2 * Math.round((HEIGHT * width) / height / 2)),
  height: HEIGHT,
});

const pictureFile = (work: string, picture: number): string =>
  join(work, `${String(picture + 1).padStart(2, '0')}.jpg`);

async function drawPictures(
  ffmpeg: string,
  order: StripOrder,
  work: string,
  signal: AbortSignal | undefined,
  progress: (done: number) => void,
): Promise<void> {
  const { input, seconds } = order;
  const missing: number[] = [];
  for (let picture = 0; picture < PICTURES; picture++) {
    const path = pictureFile(work, picture);
    const at = (seconds * (picture + 0.5)) / PICTURES;
    const keyFrame = [
      '-skip_frame',
      'nokey',
      '-noaccurate_seek',
      '-ss',
      at.toFixed(3),
      ...inputArguments(input),
    ];
    try {
      await draw(
        ffmpeg,
        keyFrame,
        order.strip,
        ['-frames:v', '1', '-f', 'mjpeg', fileArgument(path)],
        signal,
      );
    } catch (error) {
      if (error instanceof CancelledError || !(error instanceof ToolError)) throw error;
    }
    if (!(await isDrawn(path))) missing.push(picture);
    progress((picture + 1) / PICTURES);
  }
  if (missing.length) await drawWhole(ffmpeg, order, work, missing, signal);
}

/** Decodes the whole file once, for places after which no key frame comes. */
async function drawWhole(
  ffmpeg: string,
  { input, seconds, strip }: StripOrder,
  work: string,
  missing: readonly number[],
  signal: AbortSignal | undefined,
): Promise<void> {
  const whole = join(work, 'whole');
  await mkdir(whole);
  const output = ['-f', 'image2', fileArgument(join(whole.replaceAll('%', '%%'), '%02d.jpg'))];
  const rate = `fps=${PICTURES}/${Math.max(0.1, seconds).toFixed(3)}:round=down,`;
  const every = ['-frames:v', String(PICTURES), ...output];
  let reason = '';
  try {
    await draw(ffmpeg, inputArguments(input), strip, every, signal, rate);
  } catch (error) {
    if (!(error instanceof ToolError) || error instanceof MissingToolError) throw error;
    reason = error.message;
  }
  let drawn = -1;
  while (drawn + 1 < PICTURES && (await isDrawn(pictureFile(whole, drawn + 1)))) drawn++;
  if (drawn < 0) {
    const advice = 'it can be neither played nor exported. Convert it with the program that wrote it.';
    throw new Error(`ffmpeg decodes no picture of this file, so ${advice} ${reason}`.trim());
  }
  for (const picture of missing)
    await copyFile(pictureFile(whole, Math.min(drawn, picture)), pictureFile(work, picture));
}

const draw = (
  ffmpeg: string,
  input: readonly string[],
  { width, height }: Filmstrip,
  output: readonly string[],
  signal: AbortSignal | undefined,
  filter = '',
): Promise<unknown> =>
  runTool(
    ffmpeg,
    [
      ...['-v', 'error', '-y', '-threads', '1', ...input, '-an'],
      ...['-vf', `${filter}scale=${width}:${height}:flags=area,format=yuvj420p`, '-q:v', '4', ...output],
    ],
    { signal },
  );
