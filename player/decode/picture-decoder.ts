import { IN_FLIGHT, REFILL_AT } from '@hone/core/pacing';
import type { EncodedPacket } from 'mediabunny';
import { DecodeClock, BusyTracker } from './decode-clock.js';
import type { PictureFile } from './picture-file.js';
import type { DecodedFrame } from './frame-source.js';

type DecoderOutput = Omit<DecodedFrame, 'seconds' | 'frame'> & { readonly frame: VideoFrame };

/** A read that took longer has let the decoder run dry. */
const DRY_MS = 3;

/**
 * Decodes one file in presentation order from any key packet, keeping the decoder busy while its output is used.
 * The receiver of a frame must close it.
 */
export class PictureDecoder {
  private readonly decoder: VideoDecoder;
  private readonly outputs: DecoderOutput[] = [];
  /** Packets in the decoder, by time stamp. */
  private readonly fed = new Map<number, { readonly readMs: number; readonly bytes: number }>();
  private readonly clock: DecodeClock;
  private generation = 0;
  private finished = false;
  private closed = false;
  private failure: Error | undefined;
  private wakeConsumer: (() => void) | undefined;
  private wakeFeeder: (() => void) | undefined;

  /**
   * @param busy of the worker that its pictures come out in
   * @param leavesOut whether a picture is not decoded, by its bytes and those that are queued before it
   */
  constructor(
    private readonly file: PictureFile,
    busy = new BusyTracker(),
    private readonly leavesOut: (packet: EncodedPacket, bytes: number) => boolean = () => false,
  ) {
    this.clock = new DecodeClock(busy);
    this.decoder = new VideoDecoder({
      output: (frame) => this.receive(frame),
      error: (error) => this.fail(error),
    });
    this.decoder.ondequeue = () => this.wakeFeeder?.();
  }

  /** Empties the decoder and continues at a key packet. */
  startAt(packet: EncodedPacket): void {
    const generation = ++this.generation;
    this.decoder.reset();
    this.decoder.configure(this.file.config);
    this.drain();
    this.fed.clear();
    this.finished = false;
    this.clock.restart(performance.now());
    this.wakeFeeder?.();
    this.feed(packet, generation).catch((error: unknown) => {
      if (generation === this.generation) this.fail(error);
    });
  }

  /** The next frame in presentation order; undefined at the end of the file or after `close`. */
  async next(): Promise<DecoderOutput | undefined> {
    for (;;) {
      if (this.failure) throw this.failure;
      const output = this.outputs.shift();
      if (output) {
        this.wakeFeeder?.();
        return output;
      }
      if (this.finished || this.closed) return undefined;
      await new Promise<void>((resolve) => (this.wakeConsumer = resolve));
    }
  }

  close(): void {
    if (this.closed) return;
    this.closed = true;
    this.generation++;
    if (this.decoder.state !== 'closed') this.decoder.close();
    this.drain();
    this.wakeConsumer?.();
    this.wakeFeeder?.();
  }

  private async feed(first: EncodedPacket, generation: number): Promise<void> {
    let packet: EncodedPacket | null = first;
    let readMs = 0;
    while (packet) {
      if (this.inFlight >= IN_FLIGHT) {
        // It works in bursts, whose duration can be told from its idle time.
        while (this.inFlight > REFILL_AT) {
          await new Promise<void>((resolve) => (this.wakeFeeder = resolve));
          if (generation !== this.generation) return;
        }
        this.noteIdleEnd();
      } else if (readMs > DRY_MS) this.noteIdleEnd();
      if (!this.leavesOut(packet, packet.byteLength + this.queuedBytes())) {
        const chunk = packet.toEncodedVideoChunk();
        this.fed.set(chunk.timestamp, { readMs, bytes: chunk.byteLength });
        this.decoder.decode(chunk);
        readMs = 0;
      }
      const start = performance.now();
      packet = await this.file.packets.getNextPacket(packet);
      readMs += performance.now() - start;
      if (generation !== this.generation) return;
    }
    await this.decoder.flush();
    if (generation !== this.generation) return;
    this.finished = true;
    this.wakeConsumer?.();
  }

  /** Bytes of the pictures that wait in the decoder: the last that it was given. */
  private queuedBytes(): number {
    const waiting = [...this.fed.values()].slice(-this.decoder.decodeQueueSize);
    return this.decoder.decodeQueueSize ? waiting.reduce((sum, { bytes }) => sum + bytes, 0) : 0;
  }

  private get inFlight(): number {
    return this.decoder.decodeQueueSize + this.outputs.length;
  }

  // With nothing queued the decoder was idle until now.
  private noteIdleEnd(): void {
    if (this.decoder.decodeQueueSize === 0) this.clock.begin(performance.now());
  }

  private receive(frame: VideoFrame): void {
    if (this.closed) return frame.close();
    const decodeMs = this.clock.seen(performance.now());
    const { readMs, bytes } = this.fed.get(frame.timestamp) ?? { readMs: 0, bytes: 0 };
    this.fed.delete(frame.timestamp);
    this.outputs.push({ frame, decodeMs, readMs, bytes });
    this.wakeConsumer?.();
  }

  private fail(error: unknown): void {
    if (this.closed) return;
    this.failure = error instanceof Error ? error : new Error(String(error));
    this.wakeConsumer?.();
  }

  private drain(): void {
    for (const { frame } of this.outputs.splice(0)) frame.close();
  }
}
