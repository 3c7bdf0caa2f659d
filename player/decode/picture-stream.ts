import {
  IN_FLIGHT,
  isTooLate,
  RESTART_SECONDS,
  StreamPacer,
  type Answer,
  type ResyncTarget,
} from '@hone/core/pacing';
import { toNumber } from '@hone/core/time';
import type { DecodeReply, PictureCost, StreamSpec } from '../shared/messages.js';
import type { Control } from '../shared/control.js';
import type { ColourCoding } from '../shared/picture.js';
import { changesByFrame } from './picture-stages.js';
import type { DecodedFrame, FrameSource } from './frame-source.js';
import { SourceFrames } from './source-frames.js';

/** Makes a preview picture of a decoded frame at an address, for a frame of the timeline. */
export type Reduce = (
  decoded: DecodedFrame['frame'],
  spec: StreamSpec,
  address: number,
  frame: number,
) => Promise<{ readonly coding: ColourCoding; readonly scaleMs: number; readonly effectsMs: number }>;

interface Made {
  readonly address: number;
  readonly coding: ColourCoding;
}

/** A decoded frame, shown for all timeline frames up to one. */
interface Answering {
  readonly frame: DecodedFrame['frame'];
  readonly until: number;
  made?: Made;
}

/** An entry point for decoding: its time in the source, and its first timeline frame. */
interface Entry {
  readonly seconds: number;
  readonly frame: number;
}

/** Longest time between the messages of one grant of buffers, ms. */
const GRANT_WINDOW_MS = 4;

/**
 * Delivers one picture for each timeline frame of a passage, by nearest frame, as fast as room is granted. It follows
 * the rules of core/pacing.
 */
export class PictureStream {
  private readonly slots: number[] = [];
  private wakeSlots: (() => void) | undefined;
  private next: number;
  private closed = false;
  private supply: FrameSource | undefined;
  private cost: { -readonly [K in keyof PictureCost]: number } = noCost();
  private readonly framesPerSecond: number;
  private readonly pacer: StreamPacer;
  /** Needed frames of the source that are not decoded yet. */
  private readonly skippedSourceFrames = new Set<number>();
  private readonly openedAt: number;
  private readonly frames: SourceFrames;
  /** Whether no two frames can share a picture. */
  private readonly changes: boolean;
  /** Next entry point for decoding, as far as it was looked up. */
  private ahead: Entry | undefined;

  constructor(
    readonly spec: StreamSpec,
    private readonly control: Control,
    private readonly reduce: Reduce,
    private readonly send: (reply: DecodeReply) => void,
  ) {
    this.next = spec.from;
    this.framesPerSecond = toNumber(spec.timelineRate);
    this.pacer = new StreamPacer(this.framesPerSecond, spec.live, spec.file.constantRate);
    this.changes = changesByFrame(spec.stages);
    this.openedAt = control.playhead;
    this.frames = new SourceFrames(spec);
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

  /** Runs until the end of the passage or until the stream is closed. Can run again with another frame source. */
  async run(supply: FrameSource): Promise<void> {
    if (this.isClosed()) return;
    this.supply = supply;
    supply.shouldSkip = (seconds, bytes) => this.shouldSkip(seconds, bytes);
    try {
      if (this.spec.speed.num < 0) {
        await this.deliverBackwards(supply);
        return;
      }
      const start = this.frames.startOf(this.next);
      await this.startAt(start, supply);
      await this.lookAhead(start, supply);
      await this.deliverAll(supply);
    } finally {
      supply.close();
    }
  }

  /** Performs the actions of the pacer, frame by frame. */
  private async deliverAll(supply: FrameSource): Promise<void> {
    // The last decoded frame, and the one before: it is the right one when nothing nearer follows.
    let held: DecodedFrame | undefined;
    let before: DecodedFrame | undefined;
    let answering: Answering | undefined;
    const forget = (): void => {
      held?.frame.close();
      before?.frame.close();
      held = before = answering = undefined;
    };
    try {
      while (!this.isClosed() && this.next < this.spec.to) {
        const frame = this.next;
        if (answering && frame >= answering.until) answering = undefined;
        const { playhead } = this.control;
        let action = this.pacer.next(frame, this.answerOf(frame, answering), this.slots.length > 0, playhead);
        if (action === 'resync') {
          if (await this.hasResynced(supply)) {
            forget();
            continue;
          }
          // Without a better target, it continues here.
          action = 'decode';
        }
        switch (action) {
          case 'skip':
            this.skipped(frame, frame + 1);
            break;
          case 'await buffer':
            await this.buffer();
            break;
          case 'make':
            answering!.made = await this.make(answering!.frame, this.slots.shift()!, frame);
            if (!this.isClosed()) this.picture(frame, answering!.made, false);
            break;
          case 'repeat':
            this.picture(frame, answering!.made!, true);
            break;
          case 'decode': {
            const decoded = await supply.next();
            if (this.isClosed()) {
              decoded?.frame.close();
              return;
            }
            if (!decoded) {
              if (!held) throw new Error('The file ends before the frames that the timeline wants.');
              answering = { frame: held.frame, until: this.spec.to };
              break;
            }
            this.decoded(decoded);
            const until = this.firstFrameBeyond(decoded, held);
            before?.frame.close();
            before = held;
            held = decoded;
            const answer = this.spec.file.constantRate ? held : before;
            answering = answer && { frame: answer.frame, until };
          }
        }
      }
    } finally {
      forget();
    }
  }

  private answerOf(frame: number, answering: Answering | undefined): Answer {
    if (!answering) return 'none';
    if (this.skippedSourceFrames.has(this.frames.wantedBy(frame))) return 'skipped';
    return answering.made && !this.changes ? 'made' : 'decoded';
  }

  private decoded({ decodeMs, readMs, bytes }: DecodedFrame): void {
    this.pacer.onDecoded((decodeMs * this.framesPerSecond) / 1000, bytes, this.control.playhead);
    this.cost.decoded++;
    this.cost.decodeMs += decodeMs;
    this.cost.readMs += readMs;
  }

  /** First timeline frame that needs a later picture than a decoded frame. */
  private firstFrameBeyond(decoded: DecodedFrame, before: DecodedFrame | undefined): number {
    let beyond = this.next;
    while (beyond < this.spec.to && !this.frames.isBeyond(beyond, decoded, before)) beyond++;
    return beyond;
  }

  /**
   * Backwards, a run of frames is decoded forwards into the free buffers, and sent in reverse. Each run decodes from its
   * key frame.
   */
  private async deliverBackwards(supply: FrameSource): Promise<void> {
    while (!this.isClosed() && this.next < this.spec.to) {
      if (this.spec.live && isTooLate(this.next, this.control.playhead)) {
        const late = Math.min(this.spec.to, Math.ceil(this.control.playhead));
        this.skipped(this.next, Math.max(this.next + 1, late));
        continue;
      }
      await this.awaitRunBuffers();
      if (this.isClosed()) return;
      const room = this.slots.splice(0, this.spec.turned);
      const from = this.next;
      const to = Math.min(this.spec.to, from + room.length);
      this.slots.unshift(...room.splice(to - from));
      const made = await this.turned(from, to, room, supply);
      if (this.isClosed()) return;
      for (let frame = from; frame < to; frame++) {
        const picture = made.get(frame);
        if (!picture) throw new Error('The file ends before the frames that the timeline wants.');
        this.picture(frame, picture, made.get(frame - 1)?.address === picture.address);
      }
      // Frames that share a picture leave buffers free.
      const used = new Set([...made.values()].map(({ address }) => address));
      this.slots.unshift(...room.filter((address) => !used.has(address)));
    }
  }

  private async turned(
    from: number,
    to: number,
    room: readonly number[],
    supply: FrameSource,
  ): Promise<Map<number, Made>> {
    const free = [...room];
    const made = new Map<number, Made>();
    await supply.startAt(this.frames.startOf(to - 1));
    let before: DecodedFrame | undefined;
    let wanted = to - 1;
    const give = async ({ frame }: DecodedFrame, isFor: (frame: number) => boolean): Promise<void> => {
      let picture: Made | undefined;
      for (; wanted >= from && isFor(wanted); wanted--) {
        if (!picture || this.changes) picture = await this.make(frame, free.shift()!, wanted);
        made.set(wanted, picture);
      }
    };
    try {
      while (wanted >= from && !this.isClosed()) {
        const decoded = await supply.next();
        if (this.isClosed()) {
          decoded?.frame.close();
          break;
        }
        if (!decoded) {
          if (before) await give(before, () => true);
          break;
        }
        this.cost.decoded++;
        this.cost.decodeMs += decoded.decodeMs;
        this.cost.readMs += decoded.readMs;
        const held = before;
        before = decoded;
        const answer = this.spec.file.constantRate ? decoded : held;
        if (answer) await give(answer, (frame) => !this.frames.isBeyond(frame, decoded, held));
        held?.frame.close();
      }
    } finally {
      before?.frame.close();
    }
    return made;
  }

  private async make(decoded: DecodedFrame['frame'], address: number, frame: number): Promise<Made> {
    const begun = performance.now();
    const { coding, scaleMs, effectsMs } = await this.reduce(decoded, this.spec, address, frame);
    this.pacer.onMade(((performance.now() - begun) * this.framesPerSecond) / 1000);
    this.cost.scaleMs += scaleMs;
    this.cost.effectsMs += effectsMs;
    return { address, coding };
  }

  private picture(frame: number, made: Made, repeated: boolean): void {
    const decoder = this.supply?.decoder ?? 'browser';
    const cost = this.takeCost();
    this.send({ kind: 'picture', stream: this.spec.id, frame, ...made, repeated, decoder, cost });
    this.next = Math.max(this.next, frame + 1);
  }

  private skipped(from: number, to: number): void {
    this.send({ kind: 'skipped', stream: this.spec.id, from, to, cost: this.takeCost() });
    this.next = Math.max(this.next, to);
  }

  /** Waits for a buffer, a resync, or the end of the stream. */
  private buffer(): Promise<void> {
    return new Promise<void>((resolve) => (this.wakeSlots = resolve));
  }

  /**
   * Waits until there are buffers for a whole run of backwards playback. Every run decodes from its key frame, so that
   * several short runs cost several times as much as one long run.
   */
  private async awaitRunBuffers(): Promise<void> {
    const { live, to, turned } = this.spec;
    while (!this.isClosed() && !this.slots.length) await this.buffer();
    // One grant arrives as several messages.
    await new Promise<void>((resolve) => setTimeout(resolve, GRANT_WINDOW_MS));
    const wanted = Math.min(turned, to - this.next);
    while (!this.isClosed() && this.slots.length < wanted) {
      // Frames that are shown free their buffers one by one.
      if (!live || this.next - this.control.playhead < wanted) return;
      await this.buffer();
    }
  }

  private takeCost(): PictureCost {
    const cost = this.cost;
    this.cost = noCost();
    return cost;
  }

  private async hasResynced(supply: FrameSource): Promise<boolean> {
    const entry = await this.entryFor(this.pacer.resyncTarget!, supply);
    if (this.isClosed()) return false;
    const frame = this.pacer.resyncAt(entry?.frame, this.spec.to);
    if (frame === undefined) return false;
    this.skipped(this.next, frame);
    if (!entry || frame >= this.spec.to) return true;
    await this.startAt(entry.seconds, supply);
    await this.lookAhead(entry.seconds, supply);
    return true;
  }

  private startAt(seconds: number, supply: FrameSource): Promise<void> {
    this.skippedSourceFrames.clear();
    return supply.startAt(seconds);
  }

  /** Rule 5 of pacing. */
  private shouldSkip(seconds: number, bytes: number): boolean {
    const { constantRate, frameCount } = this.spec.file;
    if (!constantRate || this.spec.speed.num < 0) return false;
    const index = this.frames.at(seconds);
    // The last pictures repeat for all frames beyond them.
    if (index >= frameCount - IN_FLIGHT) return false;
    const frame = this.frames.firstFor(index, this.next);
    if (frame === undefined) return true;
    const { playhead } = this.control;
    if (playhead === this.openedAt || !this.pacer.isSkippable(frame, playhead, bytes)) return false;
    for (const earlier of this.skippedSourceFrames)
      if (earlier < this.frames.wantedBy(this.next)) this.skippedSourceFrames.delete(earlier);
    this.skippedSourceFrames.add(index);
    return true;
  }

  /** Target of a resync, chosen by `ResyncPolicy`. */
  private async entryFor({ from, best }: ResyncTarget, supply: FrameSource): Promise<Entry | undefined> {
    // The search continues from the last entry point.
    const near = this.frames.startOf(Math.floor(from)) - RESTART_SECONDS;
    while (this.ahead && this.ahead.frame < from)
      await this.lookAhead(Math.max(near, this.ahead.seconds), supply);
    let entry = this.ahead;
    while (entry) {
      const later = await this.entryAfter(entry.seconds, supply);
      if (!later || later.frame > best) break;
      entry = later;
    }
    return entry;
  }

  private async lookAhead(from: number, supply: FrameSource): Promise<void> {
    this.ahead = await this.entryAfter(from, supply);
  }

  private async entryAfter(from: number, supply: FrameSource): Promise<Entry | undefined> {
    const seconds = await supply.entryAfter(from);
    return seconds === undefined ? undefined : { seconds, frame: this.frames.entryAt(seconds) };
  }
}

const noCost = (): PictureCost => ({
  readMs: 0,
  decodeMs: 0,
  scaleMs: 0,
  effectsMs: 0,
  decoded: 0,
});
