import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { leadingFile, stillPath, type MediaInput } from '../ffmpeg/input.js';
import { CancelledError } from '../ffmpeg/process.js';
import type { JobHandler } from '../jobs/queue.js';
import { playbackHold } from '../process/playback-hold.js';
import type { SourceStore } from './source-store.js';

/**
 * SHA-256 of a whole file, as hexadecimal digits.
 * @param onProgress 0 to 1
 */
export async function contentHash(
  path: string,
  signal?: AbortSignal,
  onProgress: (done: number) => void = () => undefined,
): Promise<string> {
  const { size } = await stat(path);
  const hash = createHash('sha256');
  let read = 0;
  for await (const chunk of createReadStream(path, { highWaterMark: 1 << 20 }) as AsyncIterable<Buffer>) {
    await playbackHold.passed(signal);
    if (signal?.aborted) throw new CancelledError('Cancelled.');
    hash.update(chunk);
    read += chunk.length;
    onProgress(size ? read / size : 1);
  }
  return hash.digest('hex');
}

/** The content hash of a source; that of numbered stills is the hash of the hashes of its images. */
export async function hashOf(
  input: MediaInput,
  signal?: AbortSignal,
  onProgress: (done: number) => void = () => undefined,
): Promise<string> {
  if (!input.stills) return contentHash(leadingFile(input), signal, onProgress);
  const hash = createHash('sha256');
  const { first, count } = input.stills;
  for (let image = 0; image < count; image++) {
    hash.update(await contentHash(stillPath(input.path, first + image), signal));
    onProgress((image + 1) / count);
  }
  return hash.digest('hex');
}

/** Computes the content hash of a source in the background. */
export function hashHandler(store: SourceStore): JobHandler {
  return {
    kind: 'hash',
    lane: 'light',
    priority: 1,
    async run({ job, signal, progress }) {
      const row = await store.readable(job.subjectId);
      const hash = await hashOf(row, signal, progress);
      await store.change(row, { contentHash: hash });
    },
  };
}
