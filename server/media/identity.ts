import { createHash } from 'node:crypto';
import { open, stat } from 'node:fs/promises';
import { HASH_SAMPLE_BYTES, hashSampleOffsets } from '@hone/core/media';
import { leadingFile, stillPath, type MediaInput } from '../ffmpeg/input.js';

/**
 * SHA-256 of the size of a file and of samples spread over it: read in a moment, whatever the size, and enough to tell
 * whether a file elsewhere is the same.
 */
export async function sampledHash(path: string): Promise<string> {
  const file = await open(path);
  try {
    const { size } = await file.stat();
    const hash = createHash('sha256').update(String(size));
    const buffer = Buffer.alloc(HASH_SAMPLE_BYTES);
    for (const at of hashSampleOffsets(size)) {
      const { bytesRead } = await file.read(buffer, 0, HASH_SAMPLE_BYTES, at);
      hash.update(buffer.subarray(0, bytesRead));
    }
    return hash.digest('hex');
  } finally {
    await file.close();
  }
}

/**
 * Tells whether files were exchanged between two looks, also for others of the same size and time: the system counts
 * the changes of a file itself and numbers it.
 * @returns undefined when one is not there
 */
export async function exactState(input: MediaInput): Promise<string | undefined> {
  const images = input.stills?.count ?? 1;
  const states: string[] = [];
  for (let image = 0; image < images; image++) {
    const path = input.stills ? stillPath(input.path, input.stills.first + image) : input.path;
    const found = await stat(path, { bigint: true }).catch(() => undefined);
    if (!found) return undefined;
    states.push(`${found.ino}:${found.size}:${found.mtimeNs}:${found.ctimeNs}`);
  }
  return states.join(' ');
}

/** Size and time of what a source is read from; undefined when it is not there. */
export async function fileState(
  input: MediaInput,
): Promise<{ bytes: number; modifiedMs: number } | undefined> {
  const found = await stat(leadingFile(input)).catch(() => undefined);
  if (!found) return undefined;
  if (!input.stills) return { bytes: found.size, modifiedMs: found.mtimeMs };
  let bytes = 0;
  let modifiedMs = 0;
  for (let image = 0; image < input.stills.count; image++) {
    const each = await stat(stillPath(input.path, input.stills.first + image)).catch(() => undefined);
    if (!each) return undefined;
    bytes += each.size;
    modifiedMs = Math.max(modifiedMs, each.mtimeMs);
  }
  return { bytes, modifiedMs };
}
