import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { PacketIndex, PacketIndexBuilder } from '../media/index.js';
import { ShownPictures } from './shown-pictures.js';

/** Groups of twelve frames, I B B P B B P …; pictures between others are small. */
function indexOf(groups: number): PacketIndex {
  const builder = new PacketIndexBuilder(24);
  const order = [0, 3, 1, 2, 6, 4, 5, 9, 7, 8, 11, 10];
  for (let group = 0; group < groups; group++)
    order.forEach((frame, at) => {
      const pts = 12 * group + frame;
      const bytes = frame === 0 ? 900 : [3, 6, 9, 11].includes(frame) ? 300 : 50;
      builder.add({ bytes, key: frame === 0, pts, dts: 12 * group + at - 2 });
    });
  return PacketIndex.from(builder.done());
}

const index = indexOf(10);
const frame = fc.integer({ min: 0, max: 118 });

describe('what must be decoded to show frames', () => {
  it('is for a picture between others what it refers to as well, and then nothing for that', () => {
    const all = new ShownPictures(index, undefined);
    expect([1, 2, 3, 4].map((to) => all.going(to - 1, to).pictures)).toEqual([2, 1, 0, 2]);
    const mean = (900 + 4 * 300 + 7 * 50) / 12;
    expect(all.going(0, 1).bits).toBeCloseTo((300 + 50) / mean);
    expect(all.cold(2)).toMatchObject({ pictures: 4 });
  });

  it('is the same in all, however it is reached frame by frame', () => {
    const all = new ShownPictures(index, undefined);
    fc.assert(
      fc.property(frame, fc.integer({ min: 1, max: 60 }), (from, steps) => {
        const to = Math.min(119, from + steps);
        let [pictures, bits] = [0, 0];
        for (let at = from; at < to; at++) {
          const load = all.going(at, at + 1);
          pictures += load.pictures;
          bits += load.bits;
        }
        const whole = all.going(from, to);
        expect(pictures).toBe(whole.pictures);
        expect(bits).toBeCloseTo(whole.bits, 6);
      }),
    );
  });

  it('is never more when pictures that no other refers to are left out, and what they refer to stays', () => {
    const all = new ShownPictures(index, undefined);
    const some = new ShownPictures(index, 'reordered');
    fc.assert(
      fc.property(frame, fc.integer({ min: 1, max: 60 }), (from, steps) => {
        const to = Math.min(119, from + steps);
        const [whole, thinned] = [all.going(from, to), some.going(from, to)];
        expect(thinned.pictures).toBeLessThanOrEqual(whole.pictures);
        expect(thinned.bits).toBeLessThanOrEqual(whole.bits + 1e-9);
        expect(some.cold(to).pictures).toBeLessThanOrEqual(all.cold(to).pictures);
        // From a cold start: the key frame, all that are referred to on the way, and the picture itself.
        expect(some.cold(to).pictures).toBeGreaterThanOrEqual(1 + Math.floor((to % 12) / 3));
      }),
    );
  });
});
