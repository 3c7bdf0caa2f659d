import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { PacketIndex, PacketIndexBuilder, pictureStructure, type Packet } from './index.js';

const SIZE = { width: 100, height: 100 };

function indexOf(packets: readonly Packet[], ticksPerSecond = 24): PacketIndex {
  const builder = new PacketIndexBuilder(ticksPerSecond);
  for (const packet of packets) builder.add(packet);
  return PacketIndex.from(builder.done());
}

/** Groups in the order I B B P B B …: pictures are decoded after those that they refer to. */
function reordered(groups: number, frames: number): Packet[] {
  const packets: Packet[] = [];
  for (let group = 0; group < groups; group++) {
    const at = group * frames;
    const order = [0];
    for (let anchor = 3; anchor < frames; anchor += 3) order.push(anchor, anchor - 2, anchor - 1);
    for (const frame of order) {
      const bytes = frame === 0 ? 900 : 100;
      packets.push({ bytes, key: frame === 0, pts: at + frame, dts: packets.length - 2 });
    }
  }
  return packets;
}

describe('a packet index', () => {
  it('keeps every packet as it was', () => {
    const packet = fc.record({
      bytes: fc.nat(2 ** 31),
      key: fc.boolean(),
      step: fc.integer({ min: -5, max: 2 ** 33 }),
      offset: fc.integer({ min: -(2 ** 20), max: 2 ** 40 }),
    });
    fc.assert(
      fc.property(fc.array(packet, { minLength: 1, maxLength: 200 }), fc.nat(1e6), (made, ticks) => {
        let dts = -3;
        const packets = made.map(({ bytes, key, step, offset }) => {
          dts += step;
          return { bytes, key, dts, pts: dts + offset };
        });
        const index = indexOf(packets, ticks + 1);
        const back = packets.map((_, at) => ({
          bytes: index.sizes[at],
          key: index.keys[at] === 1,
          dts: index.dts[at],
          pts: index.pts[at],
        }));
        expect(back).toEqual(packets);
        expect(index.ticksPerSecond).toBe(ticks + 1);
      }),
    );
  });

  it('takes a few bytes a packet, however long the file', () => {
    const builder = new PacketIndexBuilder(90_000);
    for (let at = 0; at < 20_000; at++) {
      builder.add({
        bytes: 200_000 + 37 * (at % 91),
        key: at % 48 === 0,
        dts: 3750 * at,
        pts: 3750 * (at + 2),
      });
    }
    expect(builder.done().length / builder.length).toBeLessThan(8);
  });

  it('says so when it is cut off or not one', () => {
    const builder = new PacketIndexBuilder(24);
    for (const packet of reordered(4, 13)) builder.add(packet);
    const bytes = builder.done();
    expect(() => PacketIndex.from(bytes.subarray(0, bytes.length - 1))).toThrow(/cut off/);
    expect(() => PacketIndex.from(new Uint8Array([9, 1, 1]))).toThrow(/version 9/);
  });

  it('gives frames in the order in which they are shown', () => {
    const index = indexOf(reordered(2, 7));
    expect(Array.from(index.shownOrder, (at) => index.pts[at])).toEqual([...Array(14).keys()]);
    expect(index.secondsOf(1)).toBe(3 / 24);
  });

  // By hand: I0 P3 B1 B2 P6 B4 B5. Frame 0 needs itself; 3 needs 0 and itself; 1 comes third.
  it('gives the price of a cut', () => {
    const index = indexOf(reordered(2, 7));
    expect(Array.from(index.decodeDistances())).toEqual([1, 3, 4, 2, 6, 7, 5, 1, 3, 4, 2, 6, 7, 5]);
    expect(() => index.decodeDistance(14)).toThrow(/no frame 14/);
  });

  it('lets pictures before a key frame refer to the group before it', () => {
    // An open group: frame 3 is a key frame, and 1 and 2, decoded after it, need the group before.
    const index = indexOf([
      { bytes: 9, key: true, pts: 0, dts: 0 },
      { bytes: 9, key: true, pts: 3, dts: 1 },
      { bytes: 1, key: false, pts: 1, dts: 2 },
      { bytes: 1, key: false, pts: 2, dts: 3 },
    ]);
    expect([0, 1, 2, 3].map((frame) => index.decodeDistance(frame))).toEqual([1, 3, 4, 1]);
  });
});

describe('the structure of a picture', () => {
  it('tells groups, rates and sizes', () => {
    const structure = pictureStructure(indexOf(reordered(4, 12 + 1)), SIZE);
    expect(structure).toMatchObject({
      packets: 52,
      keyFrames: 4,
      kind: 'long-GOP',
      gopFrames: { shortest: 13, median: 13, longest: 13 },
      reordered: true,
      pictureBytes: 4 * (900 + 12 * 100),
      constantRate: true,
    });
    // 52 frames at 24/s.
    expect(structure.averageBitsPerSecond).toBeCloseTo((8 * 8400) / (52 / 24), 6);
    expect(structure.bitsPerPixel).toBeCloseTo((8 * 8400) / 52 / 10_000, 9);
  });

  it('calls frames that stand alone intra', () => {
    const packets = Array.from({ length: 10 }, (_, at) => ({ bytes: 50, key: true, pts: at, dts: at }));
    const structure = pictureStructure(indexOf(packets), SIZE);
    expect(structure).toMatchObject({
      kind: 'intra',
      reordered: false,
      coldStartFrames: { mean: 1, most: 1 },
    });
  });

  it('finds the heaviest second wherever it begins', () => {
    const packets = Array.from({ length: 240 }, (_, at) => ({
      bytes: at >= 103 && at < 127 ? 1000 : 10,
      key: at % 24 === 0,
      pts: at,
      dts: at,
    }));
    const structure = pictureStructure(indexOf(packets), SIZE);
    expect(structure.peakBitsPerSecond).toBe(8 * 24 * 1000);
    expect(structure.peakAtSeconds).toBeCloseTo(103 / 24, 9);
    const all = fc.sample(fc.array(fc.nat(5000), { minLength: 30, maxLength: 90 }), 30);
    for (const sizes of all) {
      const index = indexOf(sizes.map((bytes, at) => ({ bytes, key: true, pts: at, dts: at })));
      const sums = sizes.map((_, at) => sizes.slice(at, at + 24).reduce((sum, bytes) => sum + bytes, 0));
      expect(pictureStructure(index, SIZE).peakBitsPerSecond).toBe(8 * Math.max(...sums));
    }
  });

  it('tells a rate that varies, with its spread', () => {
    const stamps = [0, 33, 67, 100, 180, 213];
    const packets = stamps.map((pts, at) => ({ bytes: 1, key: at === 0, pts, dts: pts }));
    const structure = pictureStructure(indexOf(packets, 1000), SIZE);
    expect(structure).toMatchObject({
      constantRate: false,
      stepMs: { shortest: 33, median: 33, longest: 80 },
    });
  });

  it('takes steps that a clock has rounded for even', () => {
    // 30000/1001 frames a second, counted in thousandths.
    const packets = Array.from({ length: 90 }, (_, at) => {
      const pts = Math.round((at * 1_001_000) / 30_000);
      return { bytes: 1, key: true, pts, dts: pts };
    });
    expect(pictureStructure(indexOf(packets, 1000), SIZE).constantRate).toBe(true);
  });

  it('cannot be told of nothing', () => {
    expect(() => pictureStructure(indexOf([]), SIZE)).toThrow(/no packets/);
  });
});
