import { TURN_BYTES } from '@hone/core/cost-model';
import { PacketIndex, PacketIndexBuilder } from '@hone/core/media';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { PacketReads, type PacketRead } from './packet-reads.js';

/** I B B P B B P …, each P coded before the two B that are shown before it. */
function indexOf(sizes: readonly number[]): PacketIndex {
  const builder = new PacketIndexBuilder(24);
  const shown = sizes.map((_, at) => (at === 0 ? 0 : at % 3 === 1 ? at + 2 : at - 1));
  sizes.forEach((bytes, dts) => builder.add({ bytes, key: dts === 0, dts, pts: shown[dts]! }));
  return PacketIndex.from(builder.done());
}

const readsOf = (reads: PacketReads, count: number): PacketRead[] =>
  Array.from({ length: count }, (_, frame) => reads.readFor(frame)).filter((each) => each !== undefined);

describe('what a decoder reads', () => {
  it('follows the file without a gap, whatever order its pictures are shown in', () => {
    const sizes = fc.array(fc.integer({ min: 1, max: 2 * TURN_BYTES }), { minLength: 1, maxLength: 60 });
    fc.assert(
      fc.property(sizes, (given) => {
        // Whole groups of three behind the first picture.
        const all = given.slice(0, given.length - ((given.length - 1) % 3));
        const reads = readsOf(new PacketReads(indexOf(all)), all.length);
        let next = 0;
        for (const { from, bytes } of reads) {
          expect(from).toBe(next);
          next = from + bytes;
        }
        expect(next).toBe(all.reduce((sum, each) => sum + each, 0));
        // All but the last are as long as a system reads ahead, or longer.
        for (const { bytes } of reads.slice(0, -1)) expect(bytes).toBeGreaterThanOrEqual(TURN_BYTES);
      }),
    );
  });

  it('begins where it is entered', () => {
    const reads = new PacketReads(indexOf([10, 20, 30, 40, 50, 60, 70]));
    // The fourth frame shown is the second packet, and the fifth is the sixth.
    expect(reads.readFor(3)).toEqual({ from: 10, bytes: 270 });
    expect(reads.readFor(4)).toBeUndefined();
  });
});
