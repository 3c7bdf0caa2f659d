import { ReversedRuns } from '@hone/core/pacing';
import type { Control } from '../shared/control.js';
import type { DecodedFrame, FrameSource } from './frame-source.js';
import type { SourceFrames } from './source-frames.js';
import type { Made, StreamOutput } from './stream-output.js';

/** Longest time between the messages of one grant of buffers, ms. */
const GRANT_WINDOW_MS = 4;

/**
 * Delivers a passage that is played backwards: a run of frames is decoded forwards into the free buffers, and sent in
 * reverse. Each run decodes from its key frame.
 */
export class ReversedDelivery {
  private readonly runs = new ReversedRuns();

  /** @param changes whether no two frames can share a picture */
  constructor(
    private readonly output: StreamOutput,
    private readonly frames: SourceFrames,
    private readonly control: Control,
    private readonly changes: boolean,
  ) {}

  /** @throws Error where the file ends before the frames that the timeline wants */
  async deliverAll(supply: FrameSource): Promise<void> {
    const { output } = this;
    const { buffers, spec } = output;
    while (!output.isClosed() && output.next < spec.to) {
      await this.awaitBuffers();
      if (output.isClosed()) return;
      const begin = spec.live ? this.runs.begin(output.next, spec.to, this.control.playhead) : output.next;
      if (begin > output.next) output.skipped(output.next, begin);
      if (begin >= spec.to) return;
      const room = buffers.splice(0, spec.turned);
      const from = output.next;
      const to = Math.min(spec.to, from + room.length);
      buffers.unshift(...room.splice(to - from));
      const begun = performance.now();
      const made = await this.run(from, to, room, supply);
      if (output.isClosed()) return;
      this.runs.observe(output.framesSince(begun));
      for (let frame = from; frame < to; frame++) {
        const picture = made.get(frame);
        if (!picture) throw new Error('The file ends before the frames that the timeline wants.');
        output.picture(frame, picture, made.get(frame - 1)?.address === picture.address);
      }
      // Frames that share a picture leave buffers free.
      const used = new Set([...made.values()].map(({ address }) => address));
      buffers.unshift(...room.filter((address) => !used.has(address)));
    }
  }

  private async run(
    from: number,
    to: number,
    room: readonly number[],
    supply: FrameSource,
  ): Promise<Map<number, Made>> {
    const free = [...room];
    const made = new Map<number, Made>();
    await supply.startAt(this.frames.startOf(to - 1), this.frames.endOf(from));
    let before: DecodedFrame | undefined;
    let wanted = to - 1;
    const give = async ({ frame }: DecodedFrame, isFor: (frame: number) => boolean): Promise<void> => {
      let picture: Made | undefined;
      let madeFor = this.frames.held(wanted);
      for (; wanted >= from && isFor(wanted); wanted--) {
        const held = this.frames.held(wanted);
        if (!picture || (this.changes && held !== madeFor))
          picture = await this.output.make(frame, free.shift()!, held);
        madeFor = held;
        made.set(wanted, picture);
      }
    };
    try {
      while (wanted >= from && !this.output.isClosed()) {
        const decoded = await supply.next();
        if (this.output.isClosed()) {
          decoded?.frame.close();
          break;
        }
        if (!decoded) {
          if (before) await give(before, () => true);
          break;
        }
        this.output.onDecoded(decoded);
        const held = before;
        before = decoded;
        const answer = this.output.spec.file.constantRate ? decoded : held;
        if (answer) await give(answer, (frame) => !this.frames.isBeyond(frame, decoded, held));
        held?.frame.close();
      }
    } finally {
      before?.frame.close();
    }
    return made;
  }

  /**
   * Waits until there are buffers for a whole run. Every run decodes from its key frame, so that several short runs cost
   * several times as much as one long run.
   */
  private async awaitBuffers(): Promise<void> {
    const { output } = this;
    const { buffers } = output;
    const { live, to, turned } = output.spec;
    while (!output.isClosed() && !buffers.length) await output.changed();
    // One grant arrives as several messages.
    await new Promise<void>((resolve) => setTimeout(resolve, GRANT_WINDOW_MS));
    const wanted = Math.min(turned, to - output.next);
    while (!output.isClosed() && buffers.length < wanted) {
      // Frames that are shown free their buffers one by one.
      if (!live || output.next - this.control.playhead < wanted) return;
      await output.changed();
    }
  }
}
