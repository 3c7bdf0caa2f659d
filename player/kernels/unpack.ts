/**
 * Parts interleaved pairs of 8-bit samples (the chroma plane of NV12) into two planes.
 * @param count pairs
 */
export function splitPairs(source: usize, first: usize, second: usize, count: i32): void {
  let i = 0;
  for (; i + 16 <= count; i += 16) {
    const a = v128.load(source + ((<usize>i) << 1));
    const b = v128.load(source + ((<usize>i) << 1), 16);
    v128.store(
      first + <usize>i,
      v128.shuffle<u8>(a, b, 0, 2, 4, 6, 8, 10, 12, 14, 16, 18, 20, 22, 24, 26, 28, 30),
    );
    v128.store(
      second + <usize>i,
      v128.shuffle<u8>(a, b, 1, 3, 5, 7, 9, 11, 13, 15, 17, 19, 21, 23, 25, 27, 29, 31),
    );
  }
  for (; i < count; i++) {
    store<u8>(first + <usize>i, load<u8>(source + ((<usize>i) << 1)));
    store<u8>(second + <usize>i, load<u8>(source + ((<usize>i) << 1), 1));
  }
}

/**
 * Little-endian 16-bit samples of `bits` significant bits to 8 bits, rounded.
 * @param count samples
 */
export function narrowTo8(source: usize, target: usize, count: i32, bits: i32): void {
  const shift = bits - 8;
  const rounding: i32 = 1 << (shift - 1);
  const half = i16x8.splat(<i16>rounding);
  let i = 0;
  for (; i + 16 <= count; i += 16) {
    const at = source + ((<usize>i) << 1);
    const low = i16x8.shr_u(i16x8.add(v128.load(at), half), shift);
    const high = i16x8.shr_u(i16x8.add(v128.load(at, 16), half), shift);
    v128.store(target + <usize>i, i8x16.narrow_i16x8_u(low, high));
  }
  for (; i < count; i++) {
    const value = (<i32>load<u16>(source + ((<usize>i) << 1)) + rounding) >> shift;
    store<u8>(target + <usize>i, <u8>min(255, value));
  }
}
