/**
 * Two runs of 8-bit samples into one: first * (256 - share) + second * share, over 256, rounded.
 * @param share 0 to 256
 */
export function mixPlane(first: usize, second: usize, target: usize, count: i32, share: i32): void {
  const more = i16x8.splat(<i16>share);
  const less = i16x8.splat(<i16>(256 - share));
  const half = i16x8.splat(128);
  let at = 0;
  // 255 * 256 + 128 fits in sixteen bits without a sign.
  for (; at + 16 <= count; at += 16) {
    const a = v128.load(first + <usize>at);
    const b = v128.load(second + <usize>at);
    const low = i16x8.add(
      i16x8.add(i16x8.mul(i16x8.extend_low_i8x16_u(a), less), i16x8.mul(i16x8.extend_low_i8x16_u(b), more)),
      half,
    );
    const high = i16x8.add(
      i16x8.add(i16x8.mul(i16x8.extend_high_i8x16_u(a), less), i16x8.mul(i16x8.extend_high_i8x16_u(b), more)),
      half,
    );
    v128.store(target + <usize>at, i8x16.narrow_i16x8_u(i16x8.shr_u(low, 8), i16x8.shr_u(high, 8)));
  }
  for (; at < count; at++) {
    const sum = <i32>load<u8>(first + <usize>at) * (256 - share) + <i32>load<u8>(second + <usize>at) * share;
    store<u8>(target + <usize>at, <u8>((sum + 128) >> 8));
  }
}
