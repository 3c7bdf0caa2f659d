import { IN_FLIGHT, REFILL_AT } from '@hone/core/pacing';
import type { DecodePath } from '@hone/core/levers';
import type { EncodedPacket } from 'mediabunny';
import { DecodeClock, BusyTracker } from './decode-clock.js';
import type { PictureFile } from './picture-file.js';
import { DRY_MS, type DecodedFrame } from './frame-source.js';

/** Configuration of a decoder that takes a path; that of the file where it is left to the browser. */
export const configFor = (
  config: VideoDecoderConfig,
  path: DecodePath | null | undefined,
): VideoDecoderConfig => (path ? { ...config, hardwareAcceleration: `prefer-${path}` } : config);

type DecoderOutput = Omit<DecodedFrame, 'seconds' | 'frame'> & { readonly frame: VideoFrame };

/** Seconds; packets' times are exact, those of frames are rounded to microseconds. */
const HALF_MICROSECOND = 5e-7;

/** How one file is decoded. */
export interface DecoderOptions {
  /** Path that the browser decodes it by; null leaves it to the browser. */
  readonly path: DecodePath | null;
  /** Whether a picture is not decoded, by its bytes and those that are queued before it. */
  leavesOut?(packet: EncodedPacket, bytes: number): boolean;
  /** Called when a decoder was lost and software has taken its place. @param reason in the browser's words */
  fellBack?(reason: string): void;
}

/**
 * Decodes one file in presentation order from any key packet, keeping the decoder busy while its output is used.
 * Where a decoder that may be hardware fails, software goes on from the same picture.
 * The receiver of a frame must close it.
 */
export class PictureDecoder {
  private decoder: VideoDecoder;
  private readonly outputs: DecoderOutput[] = [];
  /** Packets in the decoder, by time stamp. */
  private readonly fed = new Map<number, { readonly readMs: number; readonly bytes: number }>();
  private readonly clock: DecodeClock;
  private generation = 0;
  private finished = false;
  private closed = false;
  private failure: Error | undefined;
  /** Where decoding began. */
  private entry: EncodedPacket | undefined;
  /** µs of the last picture that came out. */
  private lastOut = -Infinity;
  /** µs of the last picture that another decoder gave out before it was lost. */
  private resumeAfter = -Infinity;
  /** Why the decoder was lost, until software has given out a picture. */
  private lostBy: string | undefined;
  private path: DecodePath | null;
  private wakeConsumer: (() => void) | undefined;
  private wakeFeeder: (() => void) | undefined;

  /** @param busy of the worker that its pictures come out in */
  constructor(
    private readonly file: PictureFile,
    busy = new BusyTracker(),
    private readonly options: DecoderOptions = { path: null },
  ) {
    this.clock = new DecodeClock(busy);
    this.path = options.path;
    this.decoder = this.newDecoder();
  }

  /** Empties the decoder and continues at a key packet. */
  startAt(packet: EncodedPacket): void {
    this.decoder.reset();
    this.drain();
    this.lastOut = -Infinity;
    this.resumeAfter = -Infinity;
    this.begin(packet);
  }

  private begin(packet: EncodedPacket): void {
    const generation = ++this.generation;
    this.entry = packet;
    this.decoder.configure(configFor(this.file.config, this.path));
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
      if (!this.options.leavesOut?.(packet, packet.byteLength + this.queuedBytes())) {
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
    // A decoder that fails meanwhile says so itself.
    const isFlushed = await this.decoder.flush().then(
      () => true,
      () => false,
    );
    if (!isFlushed || generation !== this.generation) return;
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
    if (this.closed || frame.timestamp <= this.resumeAfter) return frame.close();
    this.lastOut = frame.timestamp;
    this.noteFallBack();
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

  private newDecoder(): VideoDecoder {
    const decoder = new VideoDecoder({
      output: (frame) => (decoder === this.decoder ? this.receive(frame) : frame.close()),
      error: (error) => {
        if (this.closed || decoder !== this.decoder) return;
        if (this.path === 'software') this.fail(error);
        else void this.fallBack(error);
      },
    });
    decoder.ondequeue = () => this.wakeFeeder?.();
    return decoder;
  }

  /** Goes on in software after the last picture that came out. */
  private async fallBack({ message }: Error): Promise<void> {
    this.path = 'software';
    this.lostBy = message;
    this.resumeAfter = this.lastOut;
    if (this.decoder.state !== 'closed') this.decoder.close();
    this.decoder = this.newDecoder();
    const generation = ++this.generation;
    this.wakeFeeder?.();
    try {
      const key = Number.isFinite(this.lastOut)
        ? await this.file.packets.getKeyPacket(this.lastOut / 1e6 + HALF_MICROSECOND)
        : null;
      if (generation === this.generation) this.begin(key ?? this.entry!);
    } catch (failure) {
      if (generation === this.generation) this.fail(failure);
    }
  }

  private noteFallBack(): void {
    if (this.lostBy === undefined) return;
    this.options.fellBack?.(this.lostBy);
    this.lostBy = undefined;
  }

  private drain(): void {
    for (const { frame } of this.outputs.splice(0)) frame.close();
  }
}
