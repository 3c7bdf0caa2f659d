import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import { CancelledError } from '../ffmpeg/process.js';
import type { JobHandler } from '../jobs/queue.js';
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
    if (signal?.aborted) throw new CancelledError('Cancelled.');
    hash.update(chunk);
    read += chunk.length;
    onProgress(size ? read / size : 1);
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
      const row = await store.get(job.subjectId);
      const hash = await contentHash(row.path, signal, progress);
      await store.change(await store.get(row.id), { contentHash: hash });
    },
  };
}
