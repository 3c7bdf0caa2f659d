import { isTooLate, resyncTarget } from '@hone/core/playback';
import { nearestFrame, sourceTimeAt, toNumber, type Rational } from '@hone/core/time';
import type { EncodedPacket } from 'mediabunny';
import type { DecodeReply, PictureCost, StreamSpec } from '../shared/messages.js';
import type { Control } from '../shared/control.js';
import type { ColourCoding } from '../shared/picture.js';
import { PictureDecoder, type DecodedFrame } from './picture-decoder.js';
import type { PictureFile } from './picture-file.js';

/** Makes a preview picture of a decoded frame at an address. */
export type Reduce = (frame: VideoFrame, spec: StreamSpec, address: number) => Promise<ColourCoding>;

/** Where a stream gets decoded frames from: a decoder, or what stands in for one in a test. */
export type FrameSupply = Pick<PictureDecoder, 'startAt' | 'next' | 'close'>;

/** Time stamps reach the decoder in whole microseconds; two that differ by no more are the same. */
const SAME_SECONDS = 1.5e-6;

/**
 * Delivers one picture for each timeline frame of a passage, by nearest frame, as fast as room is granted. It follows
 * the rules of core/playback/pacing.
 */
export class PictureStream {
  private readonly slots: number[] = [];
  private wakeSlots: (() => void) | undefined;
  private next: number;
  private closed = false;
  private decoder: FrameSupply | undefined;
  private cost: { -readonly [K in keyof PictureCost]: number } = noCost();
  private readonly framesPerSecond: number;
  /** The key packet after the one that decoding last started from, as far as it was looked up. */
  private ahead: { packet: EncodedPacket; frame: number } | undefined;

  constructor(
    readonly spec: StreamSpec,
    private readonly control: Control,
    private readonly reduce: Reduce,
    private readonly send: (reply: DecodeReply) => void,
    private readonly openDecoder: (file: PictureFile) => FrameSupply = (file) => new PictureDecoder(file),
  ) {
    this.next = spec.from;
    this.framesPerSecond = toNumber(spec.timelineRate);
  }

  // Asked and not read, since it changes while something is awaited.
  private isClosed(): boolean {
    return this.closed;
  }

  grant(address: number): void {
    this.slots.push(address);
    this.wakeSlots?.();
  }

  skipTo(frame: number): void {
    this.next = Math.max(this.next, frame);
    this.wakeSlots?.();
  }

  close(): void {
    this.closed = true;
    this.decoder?.close();
    this.wakeSlots?.();
  }

  /** Runs until the passage is through or the stream is closed. */
  async run(file: PictureFile): Promise<void> {
    if (this.isClosed()) return;
    const decoder = this.openDecoder(file);
    this.decoder = decoder;
    try {
      const start = await this.keyPacketFor(this.next, file);
      decoder.startAt(start);
      await this.lookAhead(start, file);
      await this.deliverAll(decoder, file);
    } finally {
      decoder.close();
    }
  }

  private async deliverAll(decoder: FrameSupply, file: PictureFile): Promise<void> {
    // The last frame that was too early for what is wanted: it is the right one when nothing nearer follows.
    let held: DecodedFrame | undefined;
    try {
      while (!this.isClosed() && this.next < this.spec.to) {
        if (await this.resync(decoder, file)) {
          held?.frame.close();
          held = undefined;
        }
        const decoded = await decoder.next();
        if (this.isClosed()) {
          decoded?.frame.close();
          return;
        }
        if (!decoded) {
          if (!held) throw new Error('The file ends before the frames that the timeline wants.');
          while (!this.isClosed() && this.next < this.spec.to) await this.deliver(held.frame, this.spec.to);
          return;
        }
        this.cost.decoded++;
        this.cost.decodeMs += decoded.decodeMs;
        this.cost.readMs += decoded.readMs;
        const until = this.firstFrameBeyond(decoded.frame, held?.frame, file);
        const answer = this.spec.file.constantRate ? decoded : held;
        if (answer) await this.deliver(answer.frame, until);
        held?.frame.close();
        held = decoded;
      }
    } finally {
      held?.frame.close();
    }
  }

  /**
   * The first timeline frame for which a decoded frame is not the answer any more. With a constant rate that is known
   * from the frame itself; otherwise from the middle between the frame held and the one after it.
   */
  private firstFrameBeyond(frame: VideoFrame, before: VideoFrame | undefined, file: PictureFile): number {
    const { rate, constantRate } = this.spec.file;
    if (constantRate) {
      const index = Math.round((frame.timestamp / 1e6 - file.firstTimestamp) * toNumber(rate));
      let beyond = this.next;
      while (beyond < this.spec.to && nearestFrame(this.sourceTime(beyond), rate) <= index) beyond++;
      return beyond;
    }
    if (!before) return this.next;
    const middle = (before.timestamp + frame.timestamp) / 2e6 - file.firstTimestamp;
    let beyond = this.next;
    while (beyond < this.spec.to && toNumber(this.sourceTime(beyond)) < middle - SAME_SECONDS) beyond++;
    return beyond;
  }

  /** Sends one picture for all frames from the next up to `until`. */
  private async deliver(frame: VideoFrame, until: number): Promise<void> {
    let made: { address: number; coding: ColourCoding } | undefined;
    while (this.next < until && !this.isClosed()) {
      const wanted = this.next;
      if (this.spec.live && isTooLate(wanted, this.control.playhead)) {
        this.skipped(wanted, wanted + 1);
        continue;
      }
      if (!made) {
        const address = await this.slot();
        if (address === undefined) return;
        if (this.next !== wanted || (this.spec.live && isTooLate(wanted, this.control.playhead))) {
          this.slots.unshift(address);
          continue;
        }
        const start = performance.now();
        made = { address, coding: await this.reduce(frame, this.spec, address) };
        this.cost.scaleMs += performance.now() - start;
        if (this.isClosed()) return;
        this.picture(wanted, made, false);
      } else {
        this.picture(wanted, made, true);
      }
    }
  }

  private picture(frame: number, made: { address: number; coding: ColourCoding }, repeated: boolean): void {
    this.send({ kind: 'picture', stream: this.spec.id, frame, ...made, repeated, cost: this.takeCost() });
    this.next = Math.max(this.next, frame + 1);
  }

  private skipped(from: number, to: number): void {
    this.send({ kind: 'skipped', stream: this.spec.id, from, to, cost: this.takeCost() });
    this.next = Math.max(this.next, to);
  }

  private async slot(): Promise<number | undefined> {
    while (!this.slots.length) {
      if (this.isClosed()) return undefined;
      await new Promise<void>((resolve) => (this.wakeSlots = resolve));
    }
    return this.isClosed() ? undefined : this.slots.shift();
  }

  private takeCost(): PictureCost {
    const cost = this.cost;
    this.cost = noCost();
    return cost;
  }

  private async resync(decoder: FrameSupply, file: PictureFile): Promise<boolean> {
    if (!this.spec.live) return false;
    const playhead = this.control.playhead;
    if (resyncTarget(this.next, playhead, this.framesPerSecond, [Infinity]) === undefined) return false;
    while (this.ahead && this.ahead.frame <= playhead) await this.lookAhead(this.ahead.packet, file);
    if (!this.ahead || this.ahead.frame >= this.spec.to || this.isClosed()) return false;
    const { packet, frame } = this.ahead;
    const target = resyncTarget(this.next, playhead, this.framesPerSecond, [frame]);
    if (target === undefined) return false;
    this.skipped(this.next, target);
    decoder.startAt(await this.withData(packet, file));
    await this.lookAhead(packet, file);
    return true;
  }

  private async lookAhead(from: EncodedPacket, file: PictureFile): Promise<void> {
    const start = from.isMetadataOnly
      ? from
      : await file.packets.getKeyPacket(from.timestamp, { metadataOnly: true });
    const packet = start && (await file.packets.getNextKeyPacket(start, { metadataOnly: true }));
    this.ahead = packet
      ? { packet, frame: this.entryFrame(packet.timestamp - file.firstTimestamp) }
      : undefined;
  }

  private async withData(packet: EncodedPacket, file: PictureFile): Promise<EncodedPacket> {
    const full = await file.packets.getKeyPacket(packet.timestamp);
    if (!full) throw new Error('A key frame that the file lists could not be read.');
    return full;
  }

  /** The first timeline frame that can be shown when decoding begins at a source time. */
  private entryFrame(seconds: number): number {
    const into = seconds - toNumber(this.spec.sourceIn);
    return this.spec.clipStart + Math.ceil(into * this.framesPerSecond - 1e-6);
  }

  private async keyPacketFor(frame: number, file: PictureFile): Promise<EncodedPacket> {
    const { rate, constantRate, frameCount } = this.spec.file;
    const time = this.sourceTime(frame);
    let seconds = toNumber(time);
    if (constantRate) {
      const index = Math.min(Math.max(0, nearestFrame(time, rate)), Math.max(0, frameCount - 1));
      seconds = (index + 0.25) / toNumber(rate);
    }
    return (await file.packets.getKeyPacket(file.firstTimestamp + seconds)) ?? file.firstPacket;
  }

  private sourceTime(frame: number): Rational {
    return sourceTimeAt(this.spec.sourceIn, frame - this.spec.clipStart, this.spec.timelineRate);
  }
}

const noCost = (): PictureCost => ({ readMs: 0, decodeMs: 0, scaleMs: 0, decoded: 0 });
