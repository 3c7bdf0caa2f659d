import { IN_FLIGHT, RESTART_SECONDS, StreamPacer, type Answer, type ResyncTarget } from '@hone/core/pacing';
import type { DecodeReply, StreamSpec } from '../shared/messages.js';
import type { Control } from '../shared/control.js';
import { changesByFrame } from './picture-stages.js';
import type { DecodedFrame, FrameSource } from './frame-source.js';
import { ReversedDelivery } from './reversed-delivery.js';
import { SourceFrames } from './source-frames.js';
import { StreamOutput, type Made, type Reduce } from './stream-output.js';

/** A decoded frame, shown for all timeline frames up to one. */
interface Answering {
  readonly frame: DecodedFrame['frame'];
  readonly until: number;
  made?: Made;
  /** Timeline frame that it was made for. */
  madeFor?: number;
}

/** An entry point for decoding: its time in the source, and its first timeline frame. */
interface Entry {
  readonly seconds: number;
  readonly frame: number;
}

/**
 * Delivers one picture for each timeline frame of a passage, by nearest frame, as fast as room is granted. It follows
 * the rules of core/pacing.
 */
export class PictureStream {
  private readonly output: StreamOutput;
  /** Room for pictures that are made in passing. */
  private readonly spare: number[] = [];
  private supply: FrameSource | undefined;
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
    reduce: Reduce,
    send: (reply: DecodeReply) => void,
  ) {
    this.output = new StreamOutput(spec, reduce, send, () => this.supply?.decoder ?? 'browser');
    this.pacer = new StreamPacer(this.output.framesPerSecond, spec.live, spec.file.constantRate);
    this.changes = changesByFrame(spec.stages);
    this.openedAt = control.playhead;
    this.frames = new SourceFrames(spec);
  }

  grant(address: number, isSpare = false): void {
    if (isSpare) this.spare.push(address);
    else this.output.grant(address);
  }

  skipTo(frame: number): void {
    this.output.skipTo(frame);
  }

  close(): void {
    this.output.close();
    this.supply?.close();
  }

  /** Runs until the end of the passage or until the stream is closed. Can run again with another frame source. */
  async run(supply: FrameSource): Promise<void> {
    if (this.output.isClosed()) return;
    this.supply = supply;
    supply.shouldSkip = (seconds, bytes) => this.shouldSkip(seconds, bytes);
    try {
      if (this.spec.speed.num < 0) {
        const reversed = new ReversedDelivery(this.output, this.frames, this.control, this.changes);
        await reversed.deliverAll(supply);
        return;
      }
      const start = this.frames.startOf(this.output.next);
      await this.startAt(start, supply);
      await this.lookAhead(start, supply);
      await this.deliverAll(supply);
    } finally {
      supply.close();
    }
  }

  /** Performs the actions of the pacer, frame by frame. */
  private async deliverAll(supply: FrameSource): Promise<void> {
    const { output } = this;
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
      while (!output.isClosed() && output.next < this.spec.to) {
        const frame = output.next;
        if (answering && frame >= answering.until) answering = undefined;
        const { playhead } = this.control;
        let action = this.pacer.next(
          frame,
          this.answerOf(frame, answering),
          output.buffers.length > 0,
          playhead,
        );
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
            output.skipped(frame, frame + 1);
            break;
          case 'await buffer':
            await output.changed();
            break;
          case 'make':
            answering!.made = await output.make(
              answering!.frame,
              output.buffers.shift()!,
              this.frames.held(frame),
            );
            answering!.madeFor = frame;
            this.pacer.onMade(answering!.made.frames);
            if (!output.isClosed()) output.picture(frame, answering!.made, false);
            break;
          case 'repeat':
            output.picture(frame, answering!.made!, true);
            break;
          case 'decode': {
            const decoded = await supply.next();
            if (output.isClosed()) {
              decoded?.frame.close();
              return;
            }
            if (!decoded) {
              if (!held) throw new Error('The file ends before the frames that the timeline wants.');
              answering = { frame: held.frame, until: this.spec.to };
              break;
            }
            this.decoded(decoded);
            await this.makeInPassing(decoded);
            if (output.isClosed()) {
              decoded.frame.close();
              return;
            }
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
    const { made, madeFor } = answering;
    const isStanding = madeFor !== undefined && this.frames.held(madeFor) === this.frames.held(frame);
    return made && (!this.changes || isStanding) ? 'made' : 'decoded';
  }

  private decoded(decoded: DecodedFrame): void {
    const frames = (decoded.decodeMs * this.output.framesPerSecond) / 1000;
    this.pacer.onDecoded(frames, decoded.bytes, this.control.playhead);
    this.output.onDecoded(decoded);
  }

  /** First timeline frame that needs a later picture than a decoded frame. */
  private firstFrameBeyond(decoded: DecodedFrame, before: DecodedFrame | undefined): number {
    let beyond = this.output.next;
    while (beyond < this.spec.to && !this.frames.isBeyond(beyond, decoded, before)) beyond++;
    return beyond;
  }

  /** Makes a picture that another clip shows of a frame that this passage only decodes on its way. */
  private async makeInPassing({ decodeMs, frame, seconds }: DecodedFrame): Promise<void> {
    const { inPassing, file, clipStart } = this.spec;
    if (this.spare.length === 0 || inPassing.length === 0 || !file.constantRate) return;
    const sourceFrame = this.frames.at(seconds);
    const isWanted = inPassing.some(({ from, to }) => from <= sourceFrame && sourceFrame < to);
    if (!isWanted || this.frames.firstFor(sourceFrame, this.output.next) !== undefined) return;
    const begun = performance.now();
    const made = await this.output.make(frame, this.spare.shift()!, clipStart);
    this.pacer.onMade(made.frames);
    this.output.inPassing(sourceFrame, made, decodeMs + performance.now() - begun);
  }

  private async hasResynced(supply: FrameSource): Promise<boolean> {
    const entry = await this.entryFor(this.pacer.resyncTarget!, supply);
    if (this.output.isClosed()) return false;
    const frame = this.pacer.resyncAt(entry?.frame, this.spec.to);
    if (frame === undefined) return false;
    this.output.skipped(this.output.next, frame);
    if (!entry || frame >= this.spec.to) return true;
    await this.startAt(entry.seconds, supply);
    await this.lookAhead(entry.seconds, supply);
    return true;
  }

  private startAt(seconds: number, supply: FrameSource): Promise<void> {
    this.skippedSourceFrames.clear();
    return supply.startAt(seconds, this.frames.endOf(this.spec.to - 1));
  }

  /** Rule 5 of pacing. */
  private shouldSkip(seconds: number, bytes: number): boolean {
    const { constantRate, frameCount } = this.spec.file;
    if (!constantRate || this.spec.speed.num < 0) return false;
    const index = this.frames.at(seconds);
    // The last pictures repeat for all frames beyond them.
    if (index >= frameCount - IN_FLIGHT) return false;
    const frame = this.frames.firstFor(index, this.output.next);
    if (frame === undefined) return true;
    const { playhead } = this.control;
    if (playhead === this.openedAt || !this.pacer.isSkippable(frame, playhead, bytes)) return false;
    for (const earlier of this.skippedSourceFrames)
      if (earlier < this.frames.wantedBy(this.output.next)) this.skippedSourceFrames.delete(earlier);
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
