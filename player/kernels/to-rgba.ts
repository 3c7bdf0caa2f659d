/**
 * 8-bit 4:2:0 planes to RGBA with alpha 255, by the matrix that the coefficients describe. Chroma samples are
 * repeated, as the preview shows each pixel once.
 *
 * The coefficients are quarters of the real ones with 15 bits behind the point, as `colourCoefficients` makes them.
 *
 * @param target address of width * height * 4 bytes
 * @param width even
 */
export function toRgba(
  luma: usize,
  blue: usize,
  red: usize,
  target: usize,
  width: i32,
  height: i32,
  lumaOffset: i32,
  lumaGain: i32,
  redFromV: i32,
  greenFromU: i32,
  greenFromV: i32,
  blueFromU: i32,
): void {
  const chromaWidth = <usize>((width + 1) >> 1);
  const offset = i16x8.splat(<i16>lumaOffset);
  const middle = i16x8.splat(128);
  const gain = i16x8.splat(<i16>lumaGain);
  const rv = i16x8.splat(<i16>redFromV);
  const gu = i16x8.splat(<i16>greenFromU);
  const gv = i16x8.splat(<i16>greenFromV);
  const bu = i16x8.splat(<i16>blueFromU);
  const rounding = i16x8.splat(16);
  const opaque = i8x16.splat(-1);
  for (let y = 0; y < height; y++) {
    const lumaRow = luma + <usize>y * <usize>width;
    const chroma = <usize>(y >> 1) * chromaWidth;
    const to = target + ((<usize>y * <usize>width) << 2);
    let x = 0;
    for (; x + 8 <= width; x += 8) {
      const l = q5(i16x8.sub(v128.load8x8_u(lumaRow + <usize>x), offset), gain);
      const half = chroma + <usize>(x >> 1);
      const u = i16x8.shl(i16x8.sub(doubled(v128.load32_zero(blue + half)), middle), 7);
      const v = i16x8.shl(i16x8.sub(doubled(v128.load32_zero(red + half)), middle), 7);
      const base = i16x8.add(l, rounding);
      const r = i16x8.shr_s(i16x8.add(base, i16x8.q15mulr_sat_s(v, rv)), 5);
      const green = i16x8.add(i16x8.q15mulr_sat_s(u, gu), i16x8.q15mulr_sat_s(v, gv));
      const g = i16x8.shr_s(i16x8.sub(base, green), 5);
      const b = i16x8.shr_s(i16x8.add(base, i16x8.q15mulr_sat_s(u, bu)), 5);
      const rb = i8x16.narrow_i16x8_u(r, b);
      const ga = v128.shuffle<u8>(i8x16.narrow_i16x8_u(g, g), opaque, 0, 1, 2, 3, 4, 5, 6, 7, 16, 16, 16, 16, 16, 16, 16, 16);
      const out = to + (<usize>x << 2);
      v128.store(out, v128.shuffle<u8>(rb, ga, 0, 16, 8, 24, 1, 17, 9, 25, 2, 18, 10, 26, 3, 19, 11, 27));
      v128.store(out, v128.shuffle<u8>(rb, ga, 4, 20, 12, 28, 5, 21, 13, 29, 6, 22, 14, 30, 7, 23, 15, 31), 16);
    }
    for (; x < width; x++) {
      const l = ((<i32>load<u8>(lumaRow + <usize>x) - lumaOffset) * lumaGain + 0x80) >> 8;
      const half = chroma + <usize>(x >> 1);
      const u = <i32>load<u8>(blue + half) - 128;
      const v = <i32>load<u8>(red + half) - 128;
      const out = to + (<usize>x << 2);
      store<u8>(out, clamp((l + ((v * redFromV + 0x80) >> 8) + 16) >> 5));
      store<u8>(out, clamp((l - ((u * greenFromU + v * greenFromV + 0x80) >> 8) + 16) >> 5), 1);
      store<u8>(out, clamp((l + ((u * blueFromU + 0x80) >> 8) + 16) >> 5), 2);
      store<u8>(out, 255, 3);
    }
  }
}

// @ts-ignore: decorator
@inline
function q5(value: v128, gain: v128): v128 {
  return i16x8.q15mulr_sat_s(i16x8.shl(value, 7), gain);
}

// Four 8-bit samples, each twice, as eight 16-bit lanes.
// @ts-ignore: decorator
@inline
function doubled(samples: v128): v128 {
  return i16x8.extend_low_i8x16_u(v128.shuffle<u8>(samples, samples, 0, 0, 1, 1, 2, 2, 3, 3, 0, 0, 0, 0, 0, 0, 0, 0));
}

// @ts-ignore: decorator
@inline
function clamp(value: i32): u8 {
  return <u8>max(0, min(255, value));
}
