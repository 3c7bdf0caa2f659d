import { mkdir, rename, rm, stat } from 'node:fs/promises';
import { dirname } from 'node:path';
import { copyArguments, copySize, shownSize, type CopyDivisor } from '@hone/core/media';
import type { FrameSize } from '@hone/core/timeline';
import { probe } from '../ffmpeg/probe.js';
import { inputArguments, plainFile } from '../ffmpeg/input.js';
import { fileArgument, runFfmpeg, type FfmpegTools } from '../ffmpeg/process.js';
import { stampOf, type SourceRow, type SourceStore } from '../media/source-store.js';
import type { JobHandler, JobQueue } from '../jobs/queue.js';
import type { MemoryLimits } from '../rig/limits.js';
import type { CopyRow, CopyStore } from './copy-store.js';

/** Size of the light copy of a source. @throws TypeError when the source has no picture */
export function copySizeOf(source: SourceRow, divisor: CopyDivisor): FrameSize {
  if (!source.facts?.picture) throw new TypeError(`"${source.name}" has no picture to copy.`);
  return copySize(shownSize(source.facts.picture), divisor);
}

const aside = (row: CopyRow): string => `${row.path}.part`;

/** Makes light copies. A copy is used as soon as it is ready; its likeness is measured afterwards. */
export function copyHandler(
  sources: SourceStore,
  copies: CopyStore,
  queue: JobQueue,
  limits: MemoryLimits,
  tools: FfmpegTools,
): JobHandler {
  return {
    kind: 'copy',
    lane: 'heavy',
    priority: 5,
    async run({ job, signal, progress }) {
      const row = await copies.get(job.subjectId);
      const source = await sources.get(row.sourceId);
      const picture = source.facts?.picture;
      if (!picture || source.state !== 'ready')
        throw new Error(source.problem ?? `"${source.name}" is not ready.`);
      await mkdir(dirname(row.path), { recursive: true });
      const started = performance.now();
      const input = ['-v', 'error', ...(await limits.decoderArguments()), ...inputArguments(source)];
      const args = [...input, ...copyArguments(row, picture.scan), fileArgument(aside(row))];
      const onFrame = (frame: number): void => progress(frame / Math.max(1, picture.frameCount));
      await runFfmpeg(tools.ffmpeg, args, { signal, onFrame });
      const { size } = await stat(aside(row));
      const facts = await probe(tools.ffprobe, plainFile(aside(row)), size);
      const made = facts.picture?.frameCount ?? 0;
      if (made !== picture.frameCount) {
        throw new Error(
          `The copy of "${source.name}" has ${made} frames where the original has ${picture.frameCount}, so it is not used. The original may be damaged; copy it from the camera again.`,
        );
      }
      await rename(aside(row), row.path);
      const ready = { bytes: size, madeInMs: performance.now() - started, sourceStamp: stampOf(source) };
      await copies.change(row, { ...ready, state: 'ready' });
      const title = `Likeness of the copy of ${source.name}`;
      await queue.add({ projectId: row.projectId, kind: 'likeness', title, subjectId: row.id });
    },
    async abandoned(subjectId, state) {
      const row = await copies.get(subjectId);
      await rm(aside(row), { force: true });
      if (state === 'cancelled') await copies.remove(row);
      else await copies.change(row, { state: 'failed' });
    },
  };
}
