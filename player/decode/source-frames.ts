import { nearestFrame, sourceTimeAt, toNumber, type Rational } from '@hone/core/time';
import { heldFrame } from '@hone/core/pacing';
import type { StreamSpec } from '../shared/messages.js';
import type { DecodedFrame } from './frame-source.js';

type Passage = Pick<StreamSpec, 'file' | 'to' | 'clipStart' | 'sourceIn' | 'speed' | 'timelineRate' | 'hold'>;

/** Time stamps reach the decoder in whole microseconds; two that differ by no more are the same. */
const SAME_SECONDS = 1.5e-6;

/** Which frames of a source the frames of a passage of the timeline want, by nearest frame. */
export class SourceFrames {
  private readonly rate: number;
  /** Timeline frames in a second of the source. */
  private readonly pace: number;

  constructor(private readonly passage: Passage) {
    const { file, timelineRate, speed } = passage;
    this.rate = toNumber(file.rate);
    this.pace = toNumber(timelineRate) / toNumber(speed);
  }

  /** The frame of the source that a timeline frame wants, where its rate is constant. */
  wantedBy(frame: number): number {
    return nearestFrame(this.timeOf(frame), this.passage.file.rate);
  }

  /** The frame of the file that a timeline frame shows: that which it wants, or the first or last one beyond them. */
  shownFor(frame: number): number {
    return Math.min(Math.max(0, this.wantedBy(frame)), Math.max(0, this.passage.file.frameCount - 1));
  }

  /** Place among the source's frames of a time from its first one, where its rate is constant. */
  at(seconds: number): number {
    return Math.round(seconds * this.rate);
  }

  /** The first timeline frame from one on that wants a frame of the source; undefined when none does. */
  firstFor(index: number, from: number): number | undefined {
    const { to, clipStart, sourceIn } = this.passage;
    const into = (index - 0.5) / this.rate - toNumber(sourceIn);
    const about = clipStart + Math.floor(into * this.pace) - 1;
    for (let frame = Math.max(from, about); frame < to; frame++) {
      const wanted = this.wantedBy(frame);
      if (wanted === index) return frame;
      if (wanted > index) return undefined;
    }
    return undefined;
  }

  /**
   * Whether a timeline frame needs a later picture than the decoded one. With a constant rate its own time decides;
   * otherwise the middle between the held picture and the next.
   */
  isBeyond(frame: number, { seconds }: DecodedFrame, before: DecodedFrame | undefined): boolean {
    if (this.passage.file.constantRate) return this.wantedBy(frame) > this.at(seconds);
    if (!before) return true;
    const middle = (before.seconds + seconds) / 2;
    return toNumber(this.timeOf(frame)) >= middle - SAME_SECONDS;
  }

  /** The first timeline frame that can be shown when decoding begins at a source time. */
  entryAt(seconds: number): number {
    const frames = (seconds - toNumber(this.passage.sourceIn)) * this.pace;
    const entry = this.passage.clipStart + Math.ceil(frames - 1e-6);
    return this.held(entry) < entry ? entry + 1 : entry;
  }

  /** The frame whose picture stands at a frame. */
  held(frame: number): number {
    return heldFrame(frame, this.passage.hold, this.passage.clipStart);
  }

  /** Source time from which on the picture of a timeline frame is decoded; a quarter into a frame, for safety. */
  startOf(frame: number): number {
    if (!this.passage.file.constantRate) return toNumber(this.timeOf(frame));
    return (this.shownFor(frame) + 0.25) / this.rate;
  }

  /**
   * Source time behind which no picture is needed up to a timeline frame, the one that follows included; undefined where
   * only the picture that follows says when the one before ends.
   */
  endOf(frame: number): number | undefined {
    return this.passage.file.constantRate ? (this.shownFor(frame) + 1.75) / this.rate : undefined;
  }

  private timeOf(frame: number): Rational {
    const { sourceIn, clipStart, timelineRate, speed } = this.passage;
    return sourceTimeAt(sourceIn, this.held(frame) - clipStart, timelineRate, speed);
  }
}
