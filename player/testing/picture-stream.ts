import { stagesOf, type Stage } from '@hone/core/render';
import type { Rational } from '@hone/core/time';
import type { FrameSource } from '../decode/frame-source.js';
import { PictureStream } from '../decode/picture-stream.js';
import type { Reduce } from '../decode/stream-output.js';
import { Control } from '../shared/control.js';
import type { DecodeReply, StreamSpec } from '../shared/messages.js';
import { VIDEO_BT709 } from '../shared/picture.js';

export const RATE24: Rational = { num: 24, den: 1 };

/** A file with frames at given seconds, and a key frame every so often. */
export class FakeFile implements FrameSource {
  readonly decoder = 'browser';
  shouldSkip: FrameSource['shouldSkip'];
  /** Whether no other picture refers to a frame. */
  isUnreferenced: (index: number) => boolean = () => false;
  private at = 0;
  readonly starts: number[] = [];
  closed = false;
  decoded = 0;
  decodeMs = 10;
  readonly open: Set<number> = new Set();

  constructor(
    readonly stamps: readonly number[],
    private readonly group: number,
    /** Called before each frame comes out; a test moves the playhead with it. */
    private readonly beforeEach: (index: number) => void = () => undefined,
  ) {}

  private secondsOf(index: number): number {
    return this.stamps[index]! - this.stamps[0]!;
  }

  startAt(seconds: number): Promise<void> {
    this.at = 0;
    this.stamps.forEach((_, index) => {
      if (index % this.group === 0 && this.secondsOf(index) <= seconds + 1e-9) this.at = index;
    });
    this.starts.push(this.at);
    return Promise.resolve();
  }

  entryAfter(seconds: number): Promise<number | undefined> {
    const isEntry = (_: number, index: number): boolean =>
      index % this.group === 0 && this.secondsOf(index) > seconds + 1e-9;
    const next = this.stamps.findIndex(isEntry);
    return Promise.resolve(next < 0 ? undefined : this.secondsOf(next));
  }

  next(): ReturnType<FrameSource['next']> {
    while (this.isUnreferenced(this.at) && this.shouldSkip?.(this.secondsOf(this.at), 1)) this.at++;
    if (this.closed || this.at >= this.stamps.length) return Promise.resolve(undefined);
    this.beforeEach(this.at);
    const index = this.at++;
    this.decoded++;
    this.open.add(index);
    const frame = {
      timestamp: Math.round(this.stamps[index]! * 1e6),
      index,
      close: () => this.open.delete(index),
    } as unknown as VideoFrame;
    return Promise.resolve({
      frame,
      seconds: this.secondsOf(index),
      decodeMs: this.decodeMs,
      readMs: 1,
      bytes: 1,
    });
  }

  close(): void {
    this.closed = true;
  }
}

export interface StreamSetting {
  readonly rate: Rational;
  readonly constantRate?: boolean;
  readonly from?: number;
  readonly to: number;
  readonly sourceIn?: Rational;
  readonly speed?: Rational;
  readonly live?: boolean;
  readonly slots?: number;
  readonly turned?: number;
  readonly hold?: number;
  readonly effects?: Stage['effects'];
  readonly inPassing?: StreamSpec['inPassing'];
}

/** A stream of a file whose pictures are only counted, with what it has sent. */
export function streamOf(file: FakeFile, setting: StreamSetting) {
  const control = Control.create();
  const replies: DecodeReply[] = [];
  const reduced: number[] = [];
  const size = { width: 16, height: 16 };
  const spec: StreamSpec = {
    id: 1,
    file: {
      choice: 'original',
      ...{ codec: 'h264', profile: 'High', path: null },
      url: '',
      stamp: '',
      size,
      shownSize: size,
      pixels: size,
      rate: setting.rate,
      constantRate: setting.constantRate ?? true,
      quarters: 0,
      frameCount: file.stamps.length,
      framesUrl: null,
      serverOnly: null,
      hasAlpha: false,
      stacked: null,
      premultiplied: false,
    },
    from: setting.from ?? 0,
    to: setting.to,
    clipStart: 0,
    sourceIn: setting.sourceIn ?? { num: 0, den: 1 },
    speed: setting.speed ?? { num: 1, den: 1 },
    timelineRate: RATE24,
    target: size,
    scaling: 'quick',
    recoded: false,
    frame: size,
    stages: stagesOf(setting.effects ?? [], size, size),
    live: setting.live ?? false,
    turned: setting.turned ?? 12,
    hold: setting.hold ?? 1,
    inPassing: setting.inPassing ?? [],
  };
  const reduce = (frame: unknown): ReturnType<Reduce> => {
    reduced.push((frame as { index: number }).index);
    return Promise.resolve({ coding: VIDEO_BT709, scaleMs: 2, effectsMs: 0 });
  };
  const stream = new PictureStream(spec, control, reduce, (reply) => replies.push(reply));
  for (let slot = 0; slot < (setting.slots ?? 1000); slot++) stream.grant(1000 + slot);
  const pictures = () => replies.filter((reply) => reply.kind === 'picture');
  return { stream, control, replies, reduced, pictures, run: () => stream.run(file) };
}

/** Time for messages and promises that wait. */
export const later = (): Promise<void> => new Promise((resolve) => setTimeout(resolve, 8));

/** Time stamps of a constant rate, seconds. */
export const even = (count: number, perSecond: number, start = 0): number[] =>
  Array.from({ length: count }, (_, index) => start + index / perSecond);
