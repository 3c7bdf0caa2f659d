import type { FrameSize } from '@hone/core/timeline';

/** A read that took longer waited for the drive, ms. */
export const DRY_MS = 3;

/** A picture that needs no conversion: planes of 8-bit 4:2:0, limited-range BT.709, upright and with square pixels. */
export interface FinishedPicture {
  readonly size: FrameSize;
  readonly planes: Uint8Array;
  /** Gives the memory back. */
  close(): void;
}

/** A decoded frame with what it cost since the frame before it. */
export interface DecodedFrame {
  readonly frame: VideoFrame | FinishedPicture;
  /** From the first frame of the source. */
  readonly seconds: number;
  /** ms that the decoder worked: from its last output, or from the end of its last idle time, to this output. */
  readonly decodeMs: number;
  /** Bytes of its packet; 0 where unknown. */
  readonly bytes: number;
  /** ms that reading its packet held the decoder up. */
  readonly readMs: number;
}

/** Source of a stream's decoded frames: a decoder of the browser, the server, or a substitute in tests. */
export interface FrameSource {
  /** Decoder: browser or server. */
  readonly decoder: 'browser' | 'server';
  /**
   * Asked of each picture that no other refers to, where the supply can tell.
   * @param seconds of the picture, from the first frame of the source
   * @param bytes of it, and of all that the decoder has to do before
   */
  shouldSkip?: ((seconds: number, bytes: number) => boolean) | undefined;
  /**
   * Drops everything in flight and begins so that the frame at a time comes out, perhaps after earlier ones.
   * @param until time behind which no frame is wanted; undefined for all of the file
   */
  startAt(seconds: number, until?: number): Promise<void>;
  /** The next frame in presentation order; undefined at the end of what is wanted or of the file, or after `close`. */
  next(): Promise<DecodedFrame | undefined>;
  /** The first place after a time at which decoding can begin anew; undefined when there is none. */
  entryAfter(seconds: number): Promise<number | undefined>;
  close(): void;
}
