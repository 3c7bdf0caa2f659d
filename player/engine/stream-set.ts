import { sum } from 'd3-array';
import { neediestStream } from '@hone/core/pacing';
import { bareStage, isDoneInComposing, stagesOf, type Passage, type Stage } from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import type { Rational } from '@hone/core/time';
import { givesAlpha } from '../decode/picture-stages.js';
import type { ResampleKind } from '../decode/resample-table.js';
import type { MediaFile } from '../plan.js';
import type { Channel, DecodeReply, DecodeRequest, LostDecoder, PictureCost } from '../shared/messages.js';
import type { PictureKeys } from './picture-keys.js';
import { PictureRoom } from './picture-room.js';
import type { ReadyPicture } from './ready-picture.js';

export interface StreamOptions {
  readonly from: number;
  readonly frameSize: FrameSize;
  readonly rate: Rational;
  readonly live: boolean;
  readonly scaling: ResampleKind;
  readonly recoded: boolean;
  /** Whether effects of pixels are done on the graphics processor, where one stage holds them. */
  readonly onGraphics: boolean;
  /** Frames of a run, where it is played backwards. */
  readonly turned: number;
  /** Frames of the timeline that a picture stands for. */
  readonly hold: number;
  /** Most pictures that may wait; undefined for as many as there is room. */
  readonly ahead?: number;
}

interface OpenStream {
  readonly id: number;
  readonly file: MediaFile;
  readonly passage: Passage;
  readonly lastStage: Stage;
  /** Whether its pictures are made without their effects of pixels. */
  readonly isBare: boolean;
  readonly hasAlpha: boolean;
  readonly worker: number;
  readonly ahead: number;
  readonly slots: Set<number>;
  /** Slots of pictures that came too late; they may still be repeated, so they are free only after the next one. */
  readonly stale: Set<number>;
  /** Slots for pictures that are made in passing. */
  readonly spare: Set<number>;
  /** Whether other clips show frames that its decoder comes by. */
  readonly passesOthers: boolean;
  next: number;
  closing: boolean;
  hasReached: boolean;
}

export interface StreamEvents {
  /** A picture of a frame became ready, or it became known that it will not. */
  changed(): void;
  cost(frame: number, cost: PictureCost): void;
  /** The picture of a passage's first frame was decoded, or it is not decoded any more. */
  reached(passage: Passage): void;
  /** A decoder was lost, and software goes on. */
  fellBack(lost: LostDecoder): void;
  failed(passage: Passage, message: string): void;
}

/** Slots of a stream for pictures that it makes in passing. */
const SPARE = 4;

/** The passages that are being decoded, the room they write to, and the pictures that are ready. */
export class StreamSet {
  private readonly streams = new Map<number, OpenStream>();
  private readonly ready = new Map<number, Map<string, ReadyPicture>>();
  private readonly broken = new Set<string>();
  private room = new PictureRoom([]);
  private keys: PictureKeys | undefined;
  private mostWaiting = 0;
  private nextId = 1;
  private nextWorker = 0;
  private whenClosed: (() => void) | undefined;

  constructor(
    private readonly decoders: readonly Channel<DecodeRequest, DecodeReply>[],
    private readonly events: StreamEvents,
  ) {
    for (const decoder of decoders) decoder.onMessage((reply) => this.receive(reply));
  }

  /**
   * Works in other room, or in the same; all streams must be closed. Frames give back their pictures, which the room keeps.
   * @param mostWaiting pictures that may wait to be shown @param keys of the plan's pictures; undefined keeps none
   */
  useRoom(room: PictureRoom, mostWaiting = room.slots.length, keys?: PictureKeys): void {
    for (const frame of [...this.ready.keys()]) this.release(frame);
    this.room = room;
    this.mostWaiting = mostWaiting;
    this.keys = keys;
    if (keys) room.follow(keys);
  }

  /** Begins to decode a passage. It gets room with the next `share`, when all that begin together are known. */
  open(passage: Passage, file: MediaFile, options: StreamOptions): void {
    const { effects, framing } = passage;
    const stages = stagesOf(effects, file.shownSize, options.frameSize, framing);
    const isBare = options.onGraphics && isDoneInComposing(effects);
    // During a run it would take time from what is shown.
    const keys = options.live ? undefined : this.keys;
    const inPassing = keys?.inPassing(passage, (key) => this.room.has(key)) ?? [];
    const stream: OpenStream = {
      id: this.nextId++,
      file,
      passage,
      lastStage: stages.at(-1)!,
      isBare,
      hasAlpha: givesAlpha({ stages, hasAlpha: file.hasAlpha }),
      worker: this.nextWorker++ % this.decoders.length,
      ahead: options.ahead ?? Infinity,
      slots: new Set(),
      stale: new Set(),
      spare: new Set(),
      passesOthers: inPassing.length > 0,
      next: options.from,
      closing: false,
      hasReached: false,
    };
    this.streams.set(stream.id, stream);
    this.decoders[stream.worker]!.send({
      kind: 'open',
      stream: {
        id: stream.id,
        file,
        from: options.from,
        to: passage.to,
        clipStart: passage.clipStart,
        sourceIn: passage.sourceIn,
        speed: passage.speed,
        timelineRate: options.rate,
        target: stages[0].pose.raster,
        frame: options.frameSize,
        scaling: options.scaling,
        recoded: options.recoded,
        stages: isBare ? [bareStage(stages[0])] : stages,
        live: options.live,
        turned: options.turned,
        hold: options.hold,
        inPassing,
      },
    });
  }

  /** The stream that is open for a clip, if its next frame is at most `reach` before a frame. */
  reaches(clipId: string, frame: number, reach: number): boolean {
    const stream = this.openFor(clipId);
    return (
      stream !== undefined &&
      frame >= stream.next &&
      frame - stream.next <= reach &&
      frame < stream.passage.to
    );
  }

  /** Whether a passage is being decoded, or cannot be. */
  isOpen({ clipId, from }: Passage): boolean {
    if (this.broken.has(clipId)) return true;
    return [...this.streams.values()].some(
      ({ closing, passage }) => !closing && passage.clipId === clipId && passage.from === from,
    );
  }

  skipTo(clipId: string, frame: number): void {
    const stream = this.openFor(clipId);
    if (!stream) return;
    stream.next = Math.max(stream.next, frame);
    this.decoders[stream.worker]!.send({ kind: 'skip', stream: stream.id, to: frame });
    this.share();
  }

  /** Closes what ends before a frame, and drops the pictures before it. */
  passed(frame: number): void {
    for (const stream of this.streams.values()) {
      if (!stream.closing && stream.passage.to <= frame) this.close(stream);
    }
    for (const waiting of this.ready.keys()) if (waiting < frame) this.release(waiting);
    this.share();
  }

  /** Closes all streams and waits until none of them writes any more. Pictures that are ready stay. */
  async closeAll(): Promise<void> {
    for (const stream of this.streams.values()) if (!stream.closing) this.close(stream);
    if (this.streams.size === 0) return;
    await new Promise<void>((resolve) => {
      const before = this.whenClosed;
      this.whenClosed = () => {
        before?.();
        resolve();
      };
    });
  }

  pictures(frame: number): ReadonlyMap<string, ReadyPicture> | undefined {
    return this.ready.get(frame);
  }

  /** Whether every clip of a frame has its picture, or will never have one. Kept pictures are held from then on. */
  isReady(frame: number, clipIds: readonly string[]): boolean {
    return clipIds.every(
      (clipId) =>
        this.ready.get(frame)?.has(clipId) || this.broken.has(clipId) || this.holdKept(frame, clipId),
    );
  }

  /** Whether the picture of a clip at a frame needs no decoding: it waits to be shown, or was kept. */
  isKept(clipId: string, frame: number): boolean {
    if (this.ready.get(frame)?.has(clipId)) return true;
    const key = this.keys?.keyOf(clipId, frame);
    return key !== undefined && this.room.has(key);
  }

  /** Whether any picture can be found again. */
  get keepsAny(): boolean {
    return this.keys !== undefined && this.room.keptCount > 0;
  }

  /** Whether a clip's picture at a frame is being decoded, or cannot be. */
  isComing(clipId: string, frame: number): boolean {
    if (this.broken.has(clipId)) return true;
    return [...this.streams.values()].some(
      ({ closing, passage: { clipId: id, from, to } }) =>
        !closing && id === clipId && from <= frame && frame < to,
    );
  }

  /** The first frame from `frame` on that is not ready. */
  readyUntil(frame: number, clipIdsOf: (frame: number) => readonly string[], end: number): number {
    let until = frame;
    while (until < end && this.isReady(until, clipIdsOf(until))) until++;
    return until;
  }

  forgive(): void {
    this.broken.clear();
  }

  private openFor(clipId: string): OpenStream | undefined {
    return [...this.streams.values()].find((stream) => !stream.closing && stream.passage.clipId === clipId);
  }

  private reached(stream: OpenStream): void {
    if (stream.hasReached) return;
    stream.hasReached = true;
    this.events.reached(stream.passage);
  }

  private close(stream: OpenStream): void {
    stream.closing = true;
    this.reached(stream);
    this.decoders[stream.worker]!.send({ kind: 'close', stream: stream.id });
  }

  private receive(reply: DecodeReply): void {
    const stream = this.streams.get(reply.stream);
    if (!stream) return;
    switch (reply.kind) {
      case 'picture':
        this.store(stream, reply);
        break;
      case 'passing':
        this.storePassing(stream, reply);
        break;
      case 'skipped':
        if (!stream.closing) stream.next = Math.max(stream.next, reply.to);
        this.events.cost(reply.from, reply.cost);
        if (reply.cost.decoded > 0) this.reached(stream);
        break;
      case 'fell back':
        this.events.fellBack(reply);
        break;
      case 'closed':
        this.reclaim(stream.slots);
        this.reclaim(stream.stale);
        this.reclaim(stream.spare);
        this.streams.delete(stream.id);
        if (this.streams.size === 0) {
          const resolve = this.whenClosed;
          this.whenClosed = undefined;
          resolve?.();
        }
        break;
      case 'failed':
        this.broken.add(stream.passage.clipId);
        this.close(stream);
        this.events.failed(stream.passage, reply.message);
    }
    this.share();
    this.events.changed();
  }

  private store(stream: OpenStream, reply: Extract<DecodeReply, { kind: 'picture' }>): void {
    this.events.cost(reply.frame, reply.cost);
    this.reached(stream);
    const { address, frame, coding, decoder, cost } = reply;
    stream.slots.delete(address);
    if (!reply.repeated) this.reclaim(stream.stale);
    if (stream.closing || frame < stream.next) {
      if (!this.room.contains(address)) stream.stale.add(address);
      return;
    }
    stream.stale.delete(address);
    stream.next = frame + 1;
    const { file, hasAlpha, isBare, lastStage, passage } = stream;
    const picture = { address, ...lastStage, coding, decoder, file, isBare, hasAlpha };
    if (this.room.contains(address)) this.room.hold(address);
    else {
      const makeMs = cost.readMs + cost.decodeMs + cost.scaleMs + cost.effectsMs;
      this.room.store(picture, this.keys?.keyOf(passage.clipId, frame), makeMs);
    }
    this.putReady(frame, passage.clipId, picture);
  }

  private storePassing(stream: OpenStream, reply: Extract<DecodeReply, { kind: 'passing' }>): void {
    const { address, sourceFrame, coding, decoder, makeMs } = reply;
    const { file, hasAlpha, isBare, lastStage, passage } = stream;
    stream.spare.delete(address);
    const picture = { address, ...lastStage, coding, decoder, file, isBare, hasAlpha };
    this.room.store(picture, this.keys?.keyInPassing(passage, sourceFrame), makeMs);
    this.room.release(address);
  }

  private putReady(frame: number, clipId: string, picture: ReadyPicture): void {
    const pictures = this.ready.get(frame) ?? new Map<string, ReadyPicture>();
    const before = pictures.get(clipId);
    pictures.set(clipId, picture);
    this.ready.set(frame, pictures);
    if (before) this.room.release(before.address);
  }

  private holdKept(frame: number, clipId: string): boolean {
    const key = this.keys?.keyOf(clipId, frame);
    const picture = key === undefined ? undefined : this.room.find(key);
    if (picture) this.putReady(frame, clipId, picture);
    return picture !== undefined;
  }

  private reclaim(slots: Set<number>): void {
    this.room.giveBack(slots);
    slots.clear();
  }

  private release(frame: number): void {
    for (const { address } of this.ready.get(frame)?.values() ?? []) this.room.release(address);
    this.ready.delete(frame);
  }

  /** Hands out the room that is free. */
  share(): void {
    this.shareWaiting();
    this.shareSpare();
  }

  private shareWaiting(): void {
    let granted = sum(this.streams.values(), ({ slots, stale }) => slots.size + stale.size);
    for (; granted + this.room.heldCount < this.mostWaiting; granted++) {
      const stream = neediestStream(this.streams.values(), reachOf);
      const address = stream && this.room.take();
      if (!stream || address === undefined) return;
      stream.slots.add(address);
      this.decoders[stream.worker]!.send({ kind: 'grant', stream: stream.id, address });
    }
  }

  /** Hands out room for pictures that are made in passing, beside that which playing itself needs. */
  private shareSpare(): void {
    const passing = [...this.streams.values()].filter((each) => each.passesOthers && !each.closing);
    if (this.room.slots.length < 2 * this.mostWaiting + SPARE * passing.length) return;
    for (const stream of passing)
      while (stream.spare.size < SPARE) {
        const address = this.room.take();
        if (address === undefined) return;
        stream.spare.add(address);
        this.decoders[stream.worker]!.send({ kind: 'grant', stream: stream.id, address, isSpare: true });
      }
  }
}

/** The first frame that a stream has no buffer for; undefined where it wants none. */
function reachOf({ next, slots, ahead, closing, passage }: OpenStream): number | undefined {
  const reach = next + slots.size;
  return !closing && reach < passage.to && slots.size < ahead ? reach : undefined;
}
