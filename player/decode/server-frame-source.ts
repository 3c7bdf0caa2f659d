import { RESTART_SECONDS } from '@hone/core/pacing';
import type { FrameSize } from '@hone/core/timeline';
import { FRAME_HEADER_BYTES, readFrameHeader } from '@hone/core/media';
import { planarBytes } from '../shared/picture.js';
import type { DecodedFrame, FrameSource } from './frame-source.js';

/** Number of waiting frames at which reading pauses, and with it the server's decoder. */
const MOST_WAITING = 4;

/** Frames that the server's ffmpeg decodes and scales, read from a stream that never ends before the file does. */
export class ServerFrameSource implements FrameSource {
  readonly decoder = 'server';
  private readonly waiting: DecodedFrame[] = [];
  /** Memory of pictures that were used. */
  private readonly spare: Uint8Array<ArrayBuffer>[] = [];
  private abort = new AbortController();
  private generation = 0;
  private finished = false;
  private failure: Error | undefined;
  private wakeConsumer: (() => void) | undefined;
  private wakeReader: (() => void) | undefined;

  /**
   * @param url address of the source's frames
   * @param size in which they are wanted
   * @param hasAlpha whether a plane of alpha follows each picture
   */
  constructor(
    private readonly url: string,
    private readonly size: FrameSize,
    private readonly hasAlpha = false,
  ) {}

  startAt(seconds: number): Promise<void> {
    this.stopReading();
    this.abort = new AbortController();
    this.finished = false;
    this.failure = undefined;
    const { generation } = this;
    this.read(seconds, generation).catch((error: unknown) => {
      if (generation !== this.generation) return;
      this.failure = error instanceof Error ? error : new Error(String(error));
      this.wakeConsumer?.();
    });
    return Promise.resolve();
  }

  async next(): Promise<DecodedFrame | undefined> {
    const { generation } = this;
    while (generation === this.generation) {
      const frame = this.waiting.shift();
      if (frame) {
        this.wakeReader?.();
        return frame;
      }
      if (this.failure) throw this.failure;
      if (this.finished) return undefined;
      await new Promise<void>((resolve) => (this.wakeConsumer = resolve));
    }
    return undefined;
  }

  entryAfter(seconds: number): Promise<number | undefined> {
    return Promise.resolve(seconds + RESTART_SECONDS);
  }

  close(): void {
    this.stopReading();
    this.finished = true;
    this.wakeConsumer?.();
  }

  private stopReading(): void {
    this.generation++;
    this.abort.abort();
    for (const { frame } of this.waiting.splice(0)) frame.close();
    this.wakeReader?.();
  }

  private async read(seconds: number, generation: number): Promise<void> {
    const { width, height } = this.size;
    const query = `from=${seconds.toFixed(6)}&width=${width}&height=${height}`;
    const reply = await fetch(`${this.url}?${query}`, { signal: this.abort.signal });
    if (!reply.ok || !reply.body) {
      const problem = (await reply.json().catch(() => undefined)) as { detail?: string } | undefined;
      throw new Error(problem?.detail ?? `The server could not decode the clip: ${reply.status}.`);
    }
    const reader = new ExactReader(reply.body.getReader({ mode: 'byob' }));
    // Header and picture stand behind each other in one piece of memory, which the stream fills in place.
    const bytes = FRAME_HEADER_BYTES + planarBytes(width, height) + (this.hasAlpha ? width * height : 0);
    while (generation === this.generation) {
      const filled = await reader.fill(this.spare.pop() ?? new Uint8Array(bytes));
      if (!filled) break;
      if (generation !== this.generation) return;
      const { seconds: at, decodeMs, readMs } = readFrameHeader(filled);
      const planes = filled.subarray(FRAME_HEADER_BYTES);
      const frame = { size: this.size, planes, close: () => void this.spare.push(filled) };
      this.waiting.push({ frame, seconds: at, decodeMs, readMs, bytes: 0 });
      this.wakeConsumer?.();
      while (this.waiting.length >= MOST_WAITING && generation === this.generation)
        await new Promise<void>((resolve) => (this.wakeReader = resolve));
    }
    if (generation !== this.generation) return;
    this.finished = true;
    this.wakeConsumer?.();
  }
}

/** Reads pieces of known length from a stream, into memory that is handed to and fro. */
class ExactReader {
  constructor(private readonly reader: ReadableStreamBYOBReader) {}

  /** @returns the target, filled; undefined when the stream ended before */
  async fill(target: Uint8Array<ArrayBuffer>): Promise<Uint8Array<ArrayBuffer> | undefined> {
    let memory = target.buffer;
    let filled = 0;
    while (filled < memory.byteLength) {
      const { done, value } = await this.reader.read(new Uint8Array(memory, filled));
      if (done) return undefined;
      memory = value.buffer;
      filled += value.byteLength;
    }
    return new Uint8Array(memory);
  }
}
