import type { BusyTracker } from './decode-clock.js';
import { PictureDecoder, type DecoderOptions } from './picture-decoder.js';
import { isUnreferencedIn, type PictureFile } from './picture-file.js';
import type { DecodedFrame, FrameSource } from './frame-source.js';

/** Largest rounding error of a time, seconds, from a file's ticks to a decoder's microseconds. */
const ROUNDED = 2e-6;

/** Frames of a file that the browser decodes. It can be entered at key packets. */
export class PacketFrameSource implements FrameSource {
  readonly decoder = 'browser';
  shouldSkip: FrameSource['shouldSkip'];
  private readonly pictures: PictureDecoder;

  /** @param isIntra whether every picture is intra-coded */
  constructor(
    private readonly file: PictureFile,
    busy: BusyTracker,
    isIntra: boolean,
    options: Omit<DecoderOptions, 'leavesOut'>,
  ) {
    this.pictures = new PictureDecoder(file, busy, {
      ...options,
      leavesOut: ({ data, timestamp }, bytes) => {
        if (!this.shouldSkip || !(isIntra || isUnreferencedIn(file, data))) return false;
        return this.shouldSkip(timestamp - file.firstTimestamp, bytes);
      },
    });
  }

  async startAt(seconds: number): Promise<void> {
    const { packets, firstTimestamp, firstPacket } = this.file;
    const found = await packets.getKeyPacket(firstTimestamp + seconds + ROUNDED);
    this.pictures.startAt(found ?? firstPacket);
  }

  async next(): Promise<DecodedFrame | undefined> {
    const output = await this.pictures.next();
    return output && { ...output, seconds: output.frame.timestamp / 1e6 - this.file.firstTimestamp };
  }

  async entryAfter(seconds: number): Promise<number | undefined> {
    const { packets, firstTimestamp } = this.file;
    const before = await packets.getKeyPacket(firstTimestamp + seconds + ROUNDED, { metadataOnly: true });
    const next = before && (await packets.getNextKeyPacket(before, { metadataOnly: true }));
    return next ? next.timestamp - firstTimestamp : undefined;
  }

  close(): void {
    this.pictures.close();
  }
}
