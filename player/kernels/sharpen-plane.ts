/**
 * Adds to each 8-bit sample what a blur took from it, in place: sample + (sample - soft) * amount, over 256, rounded.
 * @param amount 0 to 1024; 256 is a factor of one
 */
export function sharpenPlane(plane: usize, soft: usize, count: i32, amount: i32): void {
  const by = i16x8.splat(<i16>amount);
  const half = i32x4.splat(128);
  let at: usize = 0;
  for (; at + 8 <= <usize>count; at += 8) {
    const sharp = v128.load8x8_u(plane + at);
    const detail = i16x8.sub(sharp, v128.load8x8_u(soft + at));
    const low = i32x4.shr_s(i32x4.add(i32x4.extmul_low_i16x8_s(detail, by), half), 8);
    const high = i32x4.shr_s(i32x4.add(i32x4.extmul_high_i16x8_s(detail, by), half), 8);
    const sum = i16x8.add(sharp, i16x8.narrow_i32x4_s(low, high));
    v128.store64_lane(plane + at, i8x16.narrow_i16x8_u(sum, sum), 0);
  }
  for (; at < <usize>count; at++) {
    const sharp = <i32>load<u8>(plane + at);
    const value = sharp + (((sharp - <i32>load<u8>(soft + at)) * amount + 128) >> 8);
    store<u8>(plane + at, <u8>max(0, min(255, value)));
  }
}
