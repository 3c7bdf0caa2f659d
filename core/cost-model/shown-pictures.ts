import { unreferencedBy, type PacketIndex, type UnreferencedRule } from '../media/index.js';

/** Number of decoded pictures, and their bits in mean pictures of their file. */
export interface Load {
  readonly pictures: number;
  readonly bits: number;
}

/**
 * Pictures to decode for the frames of a file, in presentation order. Unreferenced pictures are skipped unless they are
 * shown.
 */
export class ShownPictures {
  /** 1 for an unreferenced picture. */
  readonly unreferenced: Uint8Array;
  private readonly bits: Float64Array;
  /** Prefix sum over referenced pictures, in decode order. */
  private readonly decoded: Sums;
  /** Position in decode order up to which all frames before one need decoding. */
  private readonly reach: Uint32Array;
  private readonly distances: Uint32Array;

  /** @param rule undefined where every picture is decoded */
  constructor(
    private readonly index: PacketIndex,
    rule: UnreferencedRule | undefined,
  ) {
    const { length, sizes, shownOrder } = index;
    const mean = sizes.reduce((sum, each) => sum + each, 0) / Math.max(1, length) || 1;
    const leaves = rule ? unreferencedBy(index, rule) : new Uint8Array(length);
    this.bits = Float64Array.from(shownOrder, (at) => sizes[at]! / mean);
    this.unreferenced = Uint8Array.from(shownOrder, (at) => leaves[at]!);
    this.decoded = new Sums(length, (at) => [1 - leaves[at]!, sizes[at]! / mean]);
    this.distances = index.decodeDistances();
    let reach = 0;
    this.reach = Uint32Array.from(shownOrder, (at) => (reach = Math.max(reach, at)));
  }

  /** Bits of a frame's own picture. */
  bitsOf(frame: number): number {
    return this.bits[frame] ?? 1;
  }

  /**
   * Pictures to show a frame after an earlier one. Decode order differs from presentation order: references that are shown
   * later are decoded for this frame, and cost nothing when they are shown.
   */
  going(from: number, to: number): Load {
    const last = this.index.length - 1;
    const [before, until] = [this.reach[Math.min(last, from)]!, this.reach[Math.min(last, to)]!];
    const load = this.decoded.between(before + 1, until + 1);
    const isOwn = this.unreferenced[to] === 1 && this.index.shownOrder[to]! > before;
    return isOwn ? this.with(to, load) : load;
  }

  /** Pictures to show a frame from a cold start. */
  cold(frame: number): Load {
    const at = this.index.shownOrder[frame];
    if (at === undefined) return { pictures: 1, bits: 1 };
    return this.with(frame, this.decoded.between(at + 1 - this.distances[frame]!, at));
  }

  private with(frame: number, { pictures, bits }: Load): Load {
    return { pictures: pictures + 1, bits: bits + (this.bits[frame] ?? 1) };
  }
}

/** Prefix sums of counted pictures and of their bits. */
class Sums {
  private readonly pictures: Float64Array;
  private readonly bits: Float64Array;

  constructor(length: number, of: (at: number) => readonly [counts: number, bits: number]) {
    this.pictures = new Float64Array(length + 1);
    this.bits = new Float64Array(length + 1);
    for (let at = 0; at < length; at++) {
      const [counts, bits] = of(at);
      this.pictures[at + 1] = this.pictures[at]! + counts;
      this.bits[at + 1] = this.bits[at]! + counts * bits;
    }
  }

  between(from: number, to: number): Load {
    const last = this.pictures.length - 1;
    const [a, b] = [Math.min(last, Math.max(0, from)), Math.min(last, Math.max(0, from, to))];
    return { pictures: this.pictures[b]! - this.pictures[a]!, bits: this.bits[b]! - this.bits[a]! };
  }
}
