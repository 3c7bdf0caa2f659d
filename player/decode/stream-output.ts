import { toNumber } from '@hone/core/time';
import type { DecodeReply, PictureCost, StreamSpec } from '../shared/messages.js';
import type { ColourCoding } from '../shared/picture.js';
import type { DecodedFrame, FrameSource } from './frame-source.js';

/** Makes a preview picture of a decoded frame at an address, for a frame of the timeline. */
export type Reduce = (
  decoded: DecodedFrame['frame'],
  spec: StreamSpec,
  address: number,
  frame: number,
) => Promise<{ readonly coding: ColourCoding; readonly scaleMs: number; readonly effectsMs: number }>;

/** A preview picture. */
export interface Made {
  readonly address: number;
  readonly coding: ColourCoding;
  /** Time that it took, in frames of the timeline. */
  readonly frames: number;
}

/** What a stream delivers: its buffers, the pictures in them, and what they cost. */
export class StreamOutput {
  readonly buffers: number[] = [];
  /** First frame that is not delivered yet. */
  next: number;
  readonly framesPerSecond: number;
  private wake: (() => void) | undefined;
  private closed = false;
  private cost: { -readonly [K in keyof PictureCost]: number } = noCost();

  /** @param decoder name of what decodes now */
  constructor(
    readonly spec: StreamSpec,
    private readonly reduce: Reduce,
    private readonly send: (reply: DecodeReply) => void,
    private readonly decoder: () => FrameSource['decoder'],
  ) {
    this.next = spec.from;
    this.framesPerSecond = toNumber(spec.timelineRate);
  }

  // Asked and not read, since it changes while something is awaited.
  isClosed(): boolean {
    return this.closed;
  }

  close(): void {
    this.closed = true;
    this.wake?.();
  }

  grant(address: number): void {
    this.buffers.push(address);
    this.wake?.();
  }

  skipTo(frame: number): void {
    this.next = Math.max(this.next, frame);
    this.wake?.();
  }

  /** Waits for a buffer, a skip, or the end of the stream. */
  changed(): Promise<void> {
    return new Promise<void>((resolve) => (this.wake = resolve));
  }

  onDecoded({ decodeMs, readMs }: DecodedFrame): void {
    this.cost.decoded++;
    this.cost.decodeMs += decodeMs;
    this.cost.readMs += readMs;
  }

  async make(decoded: DecodedFrame['frame'], address: number, frame: number): Promise<Made> {
    const begun = performance.now();
    const { coding, scaleMs, effectsMs } = await this.reduce(decoded, this.spec, address, frame);
    this.cost.scaleMs += scaleMs;
    this.cost.effectsMs += effectsMs;
    return { address, coding, frames: this.framesSince(begun) };
  }

  /** @param begun a time of `performance.now()` */
  framesSince(begun: number): number {
    return ((performance.now() - begun) * this.framesPerSecond) / 1000;
  }

  picture(frame: number, { address, coding }: Made, repeated: boolean): void {
    const cost = this.takeCost();
    const decoder = this.decoder();
    this.send({ kind: 'picture', stream: this.spec.id, frame, address, coding, repeated, decoder, cost });
    this.next = Math.max(this.next, frame + 1);
  }

  /** A picture of a frame of the source that other clips show. @param makeMs that decoding and making it took */
  inPassing(sourceFrame: number, { address, coding }: Made, makeMs: number): void {
    const decoder = this.decoder();
    this.send({ kind: 'passing', stream: this.spec.id, sourceFrame, address, coding, decoder, makeMs });
  }

  skipped(from: number, to: number): void {
    this.send({ kind: 'skipped', stream: this.spec.id, from, to, cost: this.takeCost() });
    this.next = Math.max(this.next, to);
  }

  private takeCost(): PictureCost {
    const cost = this.cost;
    this.cost = noCost();
    return cost;
  }
}

const noCost = (): PictureCost => ({
  readMs: 0,
  decodeMs: 0,
  scaleMs: 0,
  effectsMs: 0,
  decoded: 0,
});
