import { TURN_BYTES } from '@hone/core/cost-model';
import type { PacketIndex } from '@hone/core/media';

/** Consecutive bytes of the pictures of a file. */
export interface PacketRead {
  readonly from: number;
  readonly bytes: number;
}

/**
 * What a decoder reads of a file to give out one frame after the other: packets in the order of the file, and as far ahead
 * as a system reads. Pictures that are shown earlier but coded later come with those before them.
 */
export class PacketReads {
  /** Where each packet begins, counted in bytes of all packets before it. */
  private readonly starts: Float64Array;
  private readUntil: number | undefined;

  constructor(private readonly index: PacketIndex) {
    this.starts = new Float64Array(index.length + 1);
    for (let at = 0; at < index.length; at++) this.starts[at + 1] = this.starts[at]! + index.sizes[at]!;
  }

  /** @param frame by the order in which frames are shown @returns undefined where all was read before */
  readFor(frame: number): PacketRead | undefined {
    const at = this.index.shownOrder[Math.min(this.index.length - 1, frame)]!;
    const from = this.readUntil ?? this.starts[at]!;
    const needed = this.starts[at + 1]!;
    if (needed <= from) return undefined;
    const end = Math.min(this.starts[this.index.length]!, Math.max(needed, from + TURN_BYTES));
    this.readUntil = end;
    return { from, bytes: end - from };
  }
}
