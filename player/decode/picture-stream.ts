import { isTooLate, resyncTarget } from '@hone/core/playback';
import { nearestFrame, sourceTimeAt, toNumber, type Rational } from '@hone/core/time';
import type { DecodeReply, PictureCost, StreamSpec } from '../shared/messages.js';
import type { Control } from '../shared/control.js';
import type { ColourCoding } from '../shared/picture.js';
import type { DecodedFrame, PictureSupply } from './picture-supply.js';

/** Makes a preview picture of a decoded frame at an address. */
export type Reduce = (
  frame: DecodedFrame['frame'],
  spec: StreamSpec,
  address: number,
) => Promise<ColourCoding>;

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
  private supply: PictureSupply | undefined;
  private cost: { -readonly [K in keyof PictureCost]: number } = noCost();
  private readonly framesPerSecond: number;
  /** The next place at which decoding could begin anew, as far as it was looked up. */
  private ahead: { seconds: number; frame: number } | undefined;

  constructor(
    readonly spec: StreamSpec,
    private readonly control: Control,
    private readonly reduce: Reduce,
    private readonly send: (reply: DecodeReply) => void,
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
    this.supply?.close();
    this.wakeSlots?.();
  }

  /** Runs until the passage is through or the stream is closed. It can be run again from another supply. */
  async run(supply: PictureSupply): Promise<void> {
    if (this.isClosed()) return;
    this.supply = supply;
    try {
      const start = this.startSeconds(this.next);
      await supply.startAt(start);
      await this.lookAhead(start, supply);
      await this.deliverAll(supply);
    } finally {
      supply.close();
    }
  }

  private async deliverAll(supply: PictureSupply): Promise<void> {
    // The last frame that was too early for what is wanted: it is the right one when nothing nearer follows.
    let held: DecodedFrame | undefined;
    try {
      while (!this.isClosed() && this.next < this.spec.to) {
        if (await this.resync(supply)) {
          held?.frame.close();
          held = undefined;
        }
        const decoded = await supply.next();
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
        const until = this.firstFrameBeyond(decoded, held);
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
  private firstFrameBeyond({ seconds }: DecodedFrame, before: DecodedFrame | undefined): number {
    const { rate, constantRate } = this.spec.file;
    if (constantRate) {
      const index = Math.round(seconds * toNumber(rate));
      let beyond = this.next;
      while (beyond < this.spec.to && nearestFrame(this.sourceTime(beyond), rate) <= index) beyond++;
      return beyond;
    }
    if (!before) return this.next;
    const middle = (before.seconds + seconds) / 2;
    let beyond = this.next;
    while (beyond < this.spec.to && toNumber(this.sourceTime(beyond)) < middle - SAME_SECONDS) beyond++;
    return beyond;
  }

  /** Sends one picture for all frames from the next up to `until`. */
  private async deliver(frame: DecodedFrame['frame'], until: number): Promise<void> {
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
        made = {
          address,
          coding: await this.reduce(frame, this.spec, address),
        };
        this.cost.scaleMs += performance.now() - start;
        if (this.isClosed()) return;
        this.picture(wanted, made, false);
      } else {
        this.picture(wanted, made, true);
      }
    }
  }

  private picture(frame: number, made: { address: number; coding: ColourCoding }, repeated: boolean): void {
    const decoder = this.supply?.decoder ?? 'browser';
    const cost = this.takeCost();
    this.send({ kind: 'picture', stream: this.spec.id, frame, ...made, repeated, decoder, cost });
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

  private async resync(supply: PictureSupply): Promise<boolean> {
    if (!this.spec.live) return false;
    const playhead = this.control.playhead;
    if (resyncTarget(this.next, playhead, this.framesPerSecond, [Infinity]) === undefined) return false;
    while (this.ahead && this.ahead.frame <= playhead) await this.lookAhead(this.ahead.seconds, supply);
    if (!this.ahead || this.ahead.frame >= this.spec.to || this.isClosed()) return false;
    const { seconds, frame } = this.ahead;
    const target = resyncTarget(this.next, playhead, this.framesPerSecond, [frame]);
    if (target === undefined) return false;
    this.skipped(this.next, target);
    await supply.startAt(seconds);
    await this.lookAhead(seconds, supply);
    return true;
  }

  private async lookAhead(from: number, supply: PictureSupply): Promise<void> {
    const seconds = await supply.entryAfter(from);
    this.ahead = seconds === undefined ? undefined : { seconds, frame: this.entryFrame(seconds) };
  }

  /** The first timeline frame that can be shown when decoding begins at a source time. */
  private entryFrame(seconds: number): number {
    const into = seconds - toNumber(this.spec.sourceIn);
    return this.spec.clipStart + Math.ceil(into * this.framesPerSecond - 1e-6);
  }

  /** Source time from which on the picture of a timeline frame is decoded; a quarter into a frame, for safety. */
  private startSeconds(frame: number): number {
    const { rate, constantRate, frameCount } = this.spec.file;
    const time = this.sourceTime(frame);
    if (!constantRate) return toNumber(time);
    const index = Math.min(Math.max(0, nearestFrame(time, rate)), Math.max(0, frameCount - 1));
    return (index + 0.25) / toNumber(rate);
  }

  private sourceTime(frame: number): Rational {
    return sourceTimeAt(this.spec.sourceIn, frame - this.spec.clipStart, this.spec.timelineRate);
  }
}

const noCost = (): PictureCost => ({ readMs: 0, decodeMs: 0, scaleMs: 0, decoded: 0 });
