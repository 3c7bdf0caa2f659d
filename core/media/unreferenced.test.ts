import { describe, expect, it } from 'vitest';
import { isUnreferenced, PacketIndex, PacketIndexBuilder, unreferencedBy, unreferencedIn } from './index.js';
import { unreferencedRule } from './unreferenced.js';

/** Pictures in the order in which they are decoded, by when each is shown. */
function indexOf(shown: readonly number[]): PacketIndex {
  const builder = new PacketIndexBuilder(24);
  shown.forEach((pts, dts) => builder.add({ bytes: 100, key: pts === 0, pts, dts: dts - 2 }));
  return PacketIndex.from(builder.done());
}

/** Groups of I B B P …, and with one of the pictures between that others refer to: I B b B P …. */
const repeated = (group: readonly number[], length: number, times: number): number[] => [
  0,
  ...Array.from({ length: times }, (_, at) => group.map((pts) => pts + at * length)).flat(),
];
const PLAIN = repeated([3, 1, 2], 3, 20);
const PYRAMID = repeated([4, 2, 1, 3], 4, 20);

/** Units of H.264 with nothing in them but their heads: nal_ref_idc and nal_unit_type (ITU-T H.264, 7.3.1). */
const unit = (reference: number, type: number, isFirst = true): number[] => [
  (reference << 5) | type,
  isFirst ? 0x88 : 0x44,
  7,
];
const withCodes = (...units: number[][]): Uint8Array =>
  Uint8Array.from(units.flatMap((each, at) => [...(at % 2 ? [0] : []), 0, 0, 1, ...each]));
const withLengths = (...units: number[][]): Uint8Array =>
  Uint8Array.from(units.flatMap((each) => [0, 0, 0, each.length, ...each]));

describe('pictures that no other refers to', () => {
  it('say so in the heads of their slices', () => {
    const [delimiter, parameters, information] = [unit(0, 9), unit(3, 7), unit(0, 6)];
    for (const reference of [0, 1, 3]) {
      const slice = unit(reference, 1);
      const isFree = reference === 0;
      expect(isUnreferenced(withLengths(information, parameters, slice), 4)).toBe(isFree);
      expect(isUnreferenced(withCodes(delimiter, information, slice), null)).toBe(isFree);
    }
    expect(isUnreferenced(withLengths(unit(3, 5)), 4)).toBe(false);
    // What holds no slice is decoded.
    expect(isUnreferenced(withLengths(information), 4)).toBe(false);
    expect(isUnreferenced(new Uint8Array(0), null)).toBe(false);
  });

  it('are told apart in a stream, whatever number of slices they have', () => {
    const stream = withCodes(
      ...[unit(3, 7), unit(3, 8), unit(3, 5), unit(3, 5, false)],
      ...[unit(2, 1), unit(0, 1), unit(0, 1, false), unit(0, 6), unit(0, 1)],
    );
    expect(unreferencedIn(stream)).toEqual([false, false, true, true]);
  });

  it('are all that are reordered, or those between neighbours, by what a sample shows', () => {
    const plain = indexOf(PLAIN);
    const pyramid = indexOf(PYRAMID);
    const of = (shown: readonly number[], isFree: (pts: number) => boolean): boolean[] => shown.map(isFree);
    const plainSample = of(PLAIN, (pts) => pts % 3 !== 0);
    const pyramidSample = of(PYRAMID, (pts) => pts % 2 === 1);
    expect(unreferencedRule(plain, plainSample)).toBe('reordered');
    expect([...unreferencedBy(plain, 'reordered')].map(Boolean)).toEqual(plainSample);
    expect(unreferencedRule(pyramid, pyramidSample)).toBe('between neighbours');
    expect([...unreferencedBy(pyramid, 'between neighbours')].map(Boolean)).toEqual(pyramidSample);
    // Where they are referred to after all, or nothing is known, there are none.
    expect(
      unreferencedRule(
        plain,
        of(PLAIN, () => false),
      ),
    ).toBeUndefined();
    expect(unreferencedRule(plain, [])).toBeUndefined();
  });
});
