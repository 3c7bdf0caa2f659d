import { toNumber, type Rational } from '@hone/core/time';
import type { FrameSize } from '@hone/core/timeline';
import { planarBytes } from '../shared/picture.js';
import { StreamedFrameSource, type StreamedFrame, type Taken } from './streamed-frame-source.js';

/** Largest rounding error of a time, in frames. */
const ROUNDED = 1e-3;

/** Pictures of a file that holds nothing but their planes, one after the other: there is nothing to decode. */
export class UncompressedFrameSource extends StreamedFrameSource {
  readonly decoder = 'browser';
  private readonly rate: number;
  private readonly pictureBytes: number;
  private first = 0;

  /** @param size of its pictures, of 8-bit 4:2:0 */
  constructor(
    private readonly url: string,
    size: FrameSize,
    rate: Rational,
    private readonly frameCount: number,
  ) {
    const bytes = planarBytes(size.width, size.height);
    super(size, bytes);
    this.pictureBytes = bytes;
    this.rate = toNumber(rate);
  }

  /** Every picture is a place to begin at. */
  entryAfter(seconds: number): Promise<number | undefined> {
    const next = Math.floor(seconds * this.rate + ROUNDED) + 1;
    return Promise.resolve(next < this.frameCount ? next / this.rate : undefined);
  }

  protected ask(seconds: number, until: number | undefined, signal: AbortSignal): Promise<Response> {
    const within = (frame: number): number => Math.max(0, Math.min(this.frameCount - 1, frame));
    const frameAt = (time: number): number => within(Math.floor(time * this.rate + ROUNDED));
    this.first = frameAt(seconds);
    const last = until === undefined ? this.frameCount - 1 : Math.max(this.first, frameAt(until));
    const range = `bytes=${this.first * this.pictureBytes}-${(last + 1) * this.pictureBytes - 1}`;
    return fetch(this.url, { signal, headers: { Range: range } });
  }

  protected frameIn(planes: Uint8Array, index: number, { copyMs, dryMs }: Taken): StreamedFrame {
    const seconds = (this.first + index) / this.rate;
    return { seconds, decodeMs: copyMs, readMs: dryMs, bytes: planes.byteLength, planes };
  }
}
