import { mkdir, stat } from 'node:fs/promises';
import { dirname } from 'node:path';
import { copyArguments, copyLayout, type CopyDivisor, type CopyLayout } from '@hone/core/media';
import { decodeThrough } from '../ffmpeg/decode-through.js';
import { inputArguments, plainFile } from '../ffmpeg/input.js';
import type { FfmpegHardware, FfmpegPaths } from '../ffmpeg/hardware.js';
import { fileArgument, runFfmpeg, ToolError, type FfmpegTools } from '../ffmpeg/process.js';
import type { SourceRow, SourceStore } from '../media/source-store.js';
import type { JobHandler, JobQueue } from '../jobs/queue.js';
import type { MemoryLimits } from '../rig/limits.js';
import { writeAside } from '../store/aside.js';
import { copyStamp, type CopyStore } from './copy-store.js';

/** Layout of the light copy of a source. @throws TypeError when the source has no picture */
export function copyLayoutOf(source: SourceRow, divisor: CopyDivisor): CopyLayout {
  if (!source.facts?.picture) throw new TypeError(`"${source.name}" has no picture to copy.`);
  return copyLayout(source.facts.picture, divisor);
}

/** Share of the work that encoding is; the rest is decoding the copy once. */
const ENCODED = 0.9;

/** Makes light copies. A copy is used as soon as it is ready; its likeness is measured afterwards. */
export function copyHandler(
  sources: SourceStore,
  copies: CopyStore,
  queue: JobQueue,
  limits: MemoryLimits,
  hardware: FfmpegHardware,
  tools: FfmpegTools,
): JobHandler {
  return {
    kind: 'copy',
    lane: 'heavy',
    priority: 5,
    async run({ job, signal, progress }) {
      const row = await copies.get(job.subjectId);
      const source = await sources.readable(row.sourceId);
      const picture = source.facts?.picture;
      if (!picture) throw new Error(`"${source.name}" has no picture to copy.`);
      await mkdir(dirname(row.path), { recursive: true });
      const started = performance.now();
      const input = [...(await limits.decoderArguments()), ...inputArguments(source)];
      const whole = Math.max(1, picture.frameCount);
      const make = async (aside: string, { decoding, encoder }: FfmpegPaths): Promise<void> => {
        const before = ['-v', 'error', ...encoder.setUp, ...decoding(picture.codec)];
        const args = [...before, ...input, ...copyArguments(row, picture, encoder), fileArgument(aside)];
        const onFrame = (frame: number): void => progress((ENCODED * frame) / whole);
        await runFfmpeg(tools.ffmpeg, args, { signal, onFrame });
        // Only a copy that decodes from beginning to end counts: a container may list damaged frames.
        const { frames, faults } = await decodeThrough(tools.ffmpeg, plainFile(aside), {
          signal,
          onFrame: (frame) => progress(ENCODED + ((1 - ENCODED) * frame) / whole),
        });
        if (faults.length)
          throw new ToolError(
            `The copy of "${source.name}" came out damaged (${faults[0]}). Make it again.`,
            '',
          );
        if (frames === picture.frameCount) return;
        throw new ToolError(
          `The copy of "${source.name}" has ${frames} frames where the original has ${picture.frameCount}, so it is not used. The original may be damaged; copy it from the camera again.`,
          '',
        );
      };
      await writeAside(row.path, (aside) => hardware.work((paths) => make(aside, paths)));
      const { size } = await stat(row.path);
      const ready = { bytes: size, madeInMs: performance.now() - started, sourceStamp: copyStamp(source) };
      await copies.change(row, { ...ready, state: 'ready' });
      const title = `Likeness of the copy of ${source.name}`;
      await queue.add({ projectId: row.projectId, kind: 'likeness', title, subjectId: row.id });
    },
    async abandoned(subjectId, state) {
      const row = await copies.get(subjectId);
      if (state === 'cancelled') await copies.remove(row);
      else await copies.change(row, { state: 'failed' });
    },
  };
}
