import type { EncodedPacket } from 'mediabunny';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { PictureDecoder } from './picture-decoder.js';
import type { PictureFile } from './picture-file.js';

interface FakeChunk {
  readonly timestamp: number;
}

/** A decoder that gives out a frame when the test says so. */
class FakeDecoder {
  static last: FakeDecoder;
  decodeQueueSize = 0;
  state = 'unconfigured';
  ondequeue: (() => void) | null = null;
  readonly chunks: FakeChunk[] = [];
  closedFrames = 0;
  config: Partial<VideoDecoderConfig> = {};
  private whenFlushed: (() => void) | undefined;

  constructor(
    private readonly callbacks: { output: (frame: VideoFrame) => void; error: (error: Error) => void },
  ) {
    FakeDecoder.last = this;
  }

  configure(config: VideoDecoderConfig): void {
    this.config = config;
    this.state = 'configured';
  }

  reset(): void {
    this.state = 'unconfigured';
    this.chunks.length = 0;
    this.decodeQueueSize = 0;
  }

  close(): void {
    this.state = 'closed';
  }

  decode(chunk: FakeChunk): void {
    this.chunks.push(chunk);
    this.decodeQueueSize++;
  }

  flush(): Promise<void> {
    return new Promise((resolve) => (this.whenFlushed = resolve));
  }

  giveOut(count = 1): void {
    for (let each = 0; each < count; each++) {
      const chunk = this.chunks.shift()!;
      this.decodeQueueSize--;
      this.ondequeue?.();
      const close = (): number => ++this.closedFrames;
      this.callbacks.output({ timestamp: chunk.timestamp, close } as unknown as VideoFrame);
    }
    if (this.chunks.length === 0) this.whenFlushed?.();
  }

  fail(message: string): void {
    this.callbacks.error(new Error(message));
  }
}

const packetAt = (index: number): EncodedPacket =>
  ({ index, toEncodedVideoChunk: () => ({ timestamp: index }) }) as unknown as EncodedPacket;

/** Frames from one key picture to the next. */
const GROUP = 5;

function fileOf(count: number): PictureFile {
  const next = ({ index }: { index: number }): Promise<EncodedPacket | null> =>
    Promise.resolve(index + 1 < count ? packetAt(index + 1) : null);
  const key = (seconds: number): Promise<EncodedPacket> =>
    Promise.resolve(packetAt(GROUP * Math.floor(Math.floor(1e6 * seconds) / GROUP)));
  return { config: {}, packets: { getNextPacket: next, getKeyPacket: key } } as unknown as PictureFile;
}

const settle = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 5));

describe('the decoder of a picture', () => {
  const before = (globalThis as { VideoDecoder?: unknown }).VideoDecoder;

  beforeEach(() => {
    (globalThis as { VideoDecoder?: unknown }).VideoDecoder = FakeDecoder;
  });

  afterEach(() => {
    (globalThis as { VideoDecoder?: unknown }).VideoDecoder = before;
  });

  it('is kept busy, but holds no more than eight frames', async () => {
    const decoder = new PictureDecoder(fileOf(100));
    decoder.startAt(packetAt(0));
    await settle();
    expect(FakeDecoder.last.chunks).toHaveLength(8);
    FakeDecoder.last.giveOut(4);
    await settle();
    // Four frames wait to be taken: nothing more is asked for until they are.
    expect(FakeDecoder.last.chunks).toHaveLength(4);
    for (let frame = 0; frame < 4; frame++) (await decoder.next())!.frame.close();
    await settle();
    expect(FakeDecoder.last.chunks).toHaveLength(8);
    decoder.close();
  });

  it('gives frames in order and then ends', async () => {
    const decoder = new PictureDecoder(fileOf(3));
    decoder.startAt(packetAt(0));
    await settle();
    FakeDecoder.last.giveOut(3);
    const stamps: number[] = [];
    for (let decoded = await decoder.next(); decoded; decoded = await decoder.next())
      stamps.push(decoded.frame.timestamp);
    expect(stamps).toEqual([0, 1, 2]);
  });

  it('does not count its idle time as decoding', async () => {
    const decoder = new PictureDecoder(fileOf(100));
    decoder.startAt(packetAt(0));
    await settle();
    FakeDecoder.last.giveOut(8);
    await new Promise((resolve) => setTimeout(resolve, 120));
    for (let frame = 0; frame < 8; frame++) await decoder.next();
    await settle();
    FakeDecoder.last.giveOut(1);
    const { decodeMs } = (await decoder.next())!;
    expect(decodeMs).toBeLessThan(60);
    decoder.close();
  });

  it('drops what is in flight when it goes on elsewhere', async () => {
    const decoder = new PictureDecoder(fileOf(100));
    decoder.startAt(packetAt(0));
    await settle();
    FakeDecoder.last.giveOut(3);
    decoder.startAt(packetAt(50));
    await settle();
    expect(FakeDecoder.last.closedFrames).toBe(3);
    FakeDecoder.last.giveOut(1);
    expect((await decoder.next())!.frame.timestamp).toBe(50);
    decoder.close();
  });

  it('closes what nobody took, and tells what went wrong', async () => {
    const decoder = new PictureDecoder(fileOf(20));
    decoder.startAt(packetAt(0));
    await settle();
    FakeDecoder.last.giveOut(2);
    decoder.close();
    expect(FakeDecoder.last.closedFrames).toBe(2);
    expect(await decoder.next()).toBeUndefined();

    const broken = new PictureDecoder(fileOf(20), undefined, { path: 'software' });
    broken.startAt(packetAt(0));
    await settle();
    FakeDecoder.last.fail('The bitstream is damaged.');
    await expect(broken.next()).rejects.toThrow('damaged');
    broken.close();
  });

  it('goes on in software from the same picture when hardware is lost, and says so', async () => {
    const lost: string[] = [];
    const decoder = new PictureDecoder(fileOf(20), undefined, {
      path: 'hardware',
      fellBack: (reason) => lost.push(reason),
    });
    decoder.startAt(packetAt(0));
    await settle();
    const hardware = FakeDecoder.last;
    expect(hardware.config.hardwareAcceleration).toBe('prefer-hardware');
    hardware.giveOut(7);
    hardware.fail('The device was removed.');
    await settle();
    const software = FakeDecoder.last;
    expect(software).not.toBe(hardware);
    expect(software.config.hardwareAcceleration).toBe('prefer-software');
    // Frame 7 refers to the key picture before it, at 5.
    expect(software.chunks[0]).toEqual({ timestamp: 5 });
    software.giveOut(1);
    expect(lost).toEqual([]);
    for (let frame = 0; frame < 7; frame++) expect((await decoder.next())!.frame.timestamp).toBe(frame);
    await settle();
    software.giveOut(2);
    expect(lost).toEqual(['The device was removed.']);
    expect((await decoder.next())!.frame.timestamp).toBe(7);
    // Software that fails as well ends it.
    software.fail('The bitstream is damaged.');
    await expect(decoder.next()).rejects.toThrow('damaged');
    decoder.close();
  });

  it('says nothing where software cannot decode it either', async () => {
    const lost: string[] = [];
    const decoder = new PictureDecoder(fileOf(20), undefined, {
      path: null,
      fellBack: (reason) => lost.push(reason),
    });
    decoder.startAt(packetAt(0));
    await settle();
    FakeDecoder.last.fail('The bitstream is damaged.');
    await settle();
    FakeDecoder.last.fail('The bitstream is damaged.');
    await expect(decoder.next()).rejects.toThrow('damaged');
    expect(lost).toEqual([]);
    decoder.close();
  });
});
