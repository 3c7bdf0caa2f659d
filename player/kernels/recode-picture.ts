/**
 * Turns the samples of an 8-bit 4:2:0 picture into those of another coding, in place. Chroma depends on chroma alone,
 * since grey is grey in every coding.
 *
 * @param width even
 * @param height even
 */
export function recodePicture(
  luma: usize,
  blue: usize,
  red: usize,
  width: i32,
  height: i32,
  lumaGain: f32,
  lumaPlus: f32,
  lumaFromU: f32,
  lumaFromV: f32,
  uFromU: f32,
  uFromV: f32,
  vFromU: f32,
  vFromV: f32,
): void {
  const half = width >> 1;
  for (let y = 0; y < height; y += 2) {
    const top = luma + <usize>y * <usize>width;
    const chroma = <usize>(y >> 1) * <usize>half;
    for (let x = 0; x < half; x++) {
      const u = <f32>(<i32>load<u8>(blue + chroma + <usize>x) - 128);
      const v = <f32>(<i32>load<u8>(red + chroma + <usize>x) - 128);
      const plus = lumaPlus + u * lumaFromU + v * lumaFromV;
      const at = top + (<usize>x << 1);
      recode(at, lumaGain, plus);
      recode(at + 1, lumaGain, plus);
      recode(at + <usize>width, lumaGain, plus);
      recode(at + <usize>width + 1, lumaGain, plus);
      store<u8>(blue + chroma + <usize>x, code(128 + u * uFromU + v * uFromV));
      store<u8>(red + chroma + <usize>x, code(128 + u * vFromU + v * vFromV));
    }
  }
}

// @ts-ignore: decorator
@inline
function recode(at: usize, gain: f32, plus: f32): void {
  store<u8>(at, code(<f32>load<u8>(at) * gain + plus));
}

// @ts-ignore: decorator
@inline
function code(value: f32): u8 {
  return <u8>max<f32>(0, min<f32>(255, value + 0.5));
}
