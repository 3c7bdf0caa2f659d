import type { FrameSize } from '@hone/core/timeline';
import { DRY_MS, type DecodedFrame, type FrameSource } from './frame-source.js';

/** Number of waiting frames at which reading pauses, and with it the sender. */
const MOST_WAITING = 4;

/** Facts of a frame that was read. */
export interface StreamedFrame extends Pick<DecodedFrame, 'seconds' | 'decodeMs' | 'readMs' | 'bytes'> {
  /** Its planes, within the bytes that were read. */
  readonly planes: Uint8Array;
}

/** ms that a frame took until its bytes were there. */
export interface Taken {
  /** Until they were handed over. */
  readonly copyMs: number;
  /** Until there was something to hand over. */
  readonly dryMs: number;
}

/** Frames of one length that follow each other in a stream, from the server to the end of the file. */
export abstract class StreamedFrameSource implements FrameSource {
  abstract readonly decoder: FrameSource['decoder'];
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
   * @param size of its pictures
   * @param frameBytes of a frame in the stream
   */
  constructor(
    private readonly size: FrameSize,
    private readonly frameBytes: number,
  ) {}

  /** Asks for the stream from a time on. @param until time behind which no frame is wanted @param signal ends it */
  protected abstract ask(seconds: number, until: number | undefined, signal: AbortSignal): Promise<Response>;

  /** @param index of the frame in the stream */
  protected abstract frameIn(bytes: Uint8Array, index: number, took: Taken): StreamedFrame;

  abstract entryAfter(seconds: number): Promise<number | undefined>;

  startAt(seconds: number, until?: number): Promise<void> {
    this.stopReading();
    this.abort = new AbortController();
    this.finished = false;
    this.failure = undefined;
    const { generation } = this;
    this.read(seconds, until, generation).catch((error: unknown) => {
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

  private async read(seconds: number, until: number | undefined, generation: number): Promise<void> {
    const reply = await this.ask(seconds, until, this.abort.signal);
    if (!reply.ok || !reply.body) {
      const problem = (await reply.json().catch(() => undefined)) as { detail?: string } | undefined;
      throw new Error(problem?.detail ?? `The server could not deliver the clip: ${reply.status}.`);
    }
    const reader = new ExactReader(reply.body.getReader({ mode: 'byob' }));
    for (let index = 0; generation === this.generation; index++) {
      // What belongs to a picture stands behind each other in one piece of memory, which the stream fills in place.
      const filled = await reader.fill(this.spare.pop() ?? new Uint8Array(this.frameBytes));
      if (!filled) break;
      if (generation !== this.generation) return;
      const { planes, ...facts } = this.frameIn(filled, index, reader.took);
      const frame = { size: this.size, planes, close: () => void this.spare.push(filled) };
      this.waiting.push({ frame, ...facts });
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
  /** What the last piece took. */
  took: Taken = { copyMs: 0, dryMs: 0 };

  constructor(private readonly reader: ReadableStreamBYOBReader) {}

  /** @returns the target, filled; undefined when the stream ended before */
  async fill(target: Uint8Array<ArrayBuffer>): Promise<Uint8Array<ArrayBuffer> | undefined> {
    let memory = target.buffer;
    let filled = 0;
    let [copyMs, dryMs] = [0, 0];
    while (filled < memory.byteLength) {
      const begun = performance.now();
      const { done, value } = await this.reader.read(new Uint8Array(memory, filled));
      if (done) return undefined;
      const ms = performance.now() - begun;
      if (ms > DRY_MS) dryMs += ms;
      else copyMs += ms;
      memory = value.buffer;
      filled += value.byteLength;
    }
    this.took = { copyMs, dryMs };
    return new Uint8Array(memory);
  }
}
