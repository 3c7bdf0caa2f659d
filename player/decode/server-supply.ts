import type { FrameSize } from '@hone/core/timeline';
import { FRAME_HEADER_BYTES, readFrameHeader } from '@hone/core/media';
import { planarBytes } from '../shared/picture.js';
import type { DecodedFrame, PictureSupply } from './picture-supply.js';

/** Frames that wait; while so many do, nothing is read, and the server's decoder stands still. */
const MOST_WAITING = 4;
/** Starting ffmpeg anew costs about this much; a jump that gains less is none. */
const RESTART_SECONDS = 1;

/** Frames that the server's ffmpeg decodes and scales, read from a stream that never ends before the file does. */
export class ServerSupply implements PictureSupply {
  readonly decoder = 'server';
  private readonly waiting: DecodedFrame[] = [];
  private abort = new AbortController();
  private generation = 0;
  private finished = false;
  private failure: Error | undefined;
  private wakeConsumer: (() => void) | undefined;
  private wakeReader: (() => void) | undefined;

  /**
   * @param url address of the source's frames
   * @param size in which they are wanted
   */
  constructor(
    private readonly url: string,
    private readonly size: FrameSize,
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
    const reader = new ExactReader(reply.body.getReader());
    const header = new Uint8Array(FRAME_HEADER_BYTES);
    const picture = new Uint8Array(planarBytes(width, height));
    while (generation === this.generation) {
      if (!(await reader.fill(header))) break;
      if (!(await reader.fill(picture))) break;
      if (generation !== this.generation) return;
      const { seconds: at, decodeMs, readMs } = readFrameHeader(header);
      const frame = new VideoFrame(picture, {
        format: 'I420',
        codedWidth: width,
        codedHeight: height,
        timestamp: Math.round(at * 1e6),
        colorSpace: { matrix: 'bt709', primaries: 'bt709', transfer: 'bt709', fullRange: false },
      });
      this.waiting.push({ frame, seconds: at, decodeMs, readMs });
      this.wakeConsumer?.();
      while (this.waiting.length >= MOST_WAITING && generation === this.generation)
        await new Promise<void>((resolve) => (this.wakeReader = resolve));
    }
    if (generation !== this.generation) return;
    this.finished = true;
    this.wakeConsumer?.();
  }
}

/** Reads pieces of known length from a stream of chunks of any length. */
class ExactReader {
  private chunk: Uint8Array = new Uint8Array(0);
  private at = 0;

  constructor(private readonly reader: ReadableStreamDefaultReader<Uint8Array>) {}

  /** @returns false when the stream ended before the target was full */
  async fill(target: Uint8Array): Promise<boolean> {
    let filled = 0;
    while (filled < target.length) {
      if (this.at === this.chunk.length) {
        const { done, value } = await this.reader.read();
        if (done) return false;
        this.chunk = value;
        this.at = 0;
      }
      const take = Math.min(target.length - filled, this.chunk.length - this.at);
      target.set(this.chunk.subarray(this.at, this.at + take), filled);
      filled += take;
      this.at += take;
    }
    return true;
  }
}
