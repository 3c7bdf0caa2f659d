/**
 * Lays samples over others, as much as an alpha says: below * (1 - a) + above * a, with a = alpha / 255 * gain / 256.
 *
 * @param below address of the first sample; it takes the result
 * @param belowStride bytes from row to row
 * @param above address of the first sample that is laid over it
 * @param alpha address of the first alpha, or 0 for 255 all over
 * @param gain 0 to 256
 */
export function blendPlane(
  below: usize,
  belowStride: usize,
  above: usize,
  aboveStride: usize,
  alpha: usize,
  alphaStride: usize,
  width: i32,
  height: i32,
  gain: i32,
): void {
  for (let y = 0; y < height; y++) {
    row(below, above, false, alpha, width, gain);
    below += belowStride;
    above += aboveStride;
    if (alpha) alpha += alphaStride;
  }
}

/** Lays one value over samples; see `blendPlane`. Rows follow each other without padding. */
export function coverPlane(below: usize, value: i32, alpha: usize, count: i32, gain: i32): void {
  row(below, value, true, alpha, count, gain);
}

// @ts-ignore: decorator
@inline
function row(below: usize, above: usize, isFlat: bool, alpha: usize, count: i32, gain: i32): void {
  const gains = i16x8.splat(<i16>gain);
  const half = i16x8.splat(128);
  const whole = i16x8.splat(255);
  const flat = i16x8.splat(<i16>above);
  let x: usize = 0;
  for (; x + 8 <= <usize>count; x += 8) {
    let a = alpha ? v128.load8x8_u(alpha + x) : whole;
    a = i16x8.shr_u(i16x8.add(i16x8.mul(a, gains), half), 8);
    const under = i16x8.mul(v128.load8x8_u(below + x), i16x8.sub(whole, a));
    const over = i16x8.mul(isFlat ? flat : v128.load8x8_u(above + x), a);
    // Over 255, rounded: (v + 128 + ((v + 128) >> 8)) >> 8; 255 * 255 + 128 + 255 fits in 16 bits without a sign.
    const sum = i16x8.add(i16x8.add(under, over), half);
    const mean = i16x8.shr_u(i16x8.add(sum, i16x8.shr_u(sum, 8)), 8);
    v128.store64_lane(below + x, i8x16.narrow_i16x8_u(mean, mean), 0);
  }
  for (; x < <usize>count; x++) {
    const a = ((alpha ? <i32>load<u8>(alpha + x) : 255) * gain + 128) >> 8;
    const over = isFlat ? <i32>above : <i32>load<u8>(above + x);
    const sum = <i32>load<u8>(below + x) * (255 - a) + over * a + 128;
    store<u8>(below + x, <u8>((sum + (sum >> 8)) >> 8));
  }
}
