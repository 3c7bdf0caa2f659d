/**
 * Weighs samples by their alpha, in place: middle + (x - middle) * alpha / 255, rounded.
 * @param middle value of no signal: 0 for luma, 128 for chroma
 */
export function weightPlane(plane: usize, alpha: usize, count: i32, middle: i32): void {
  for (let at: usize = 0; at < <usize>count; at++) {
    const product = (<i32>load<u8>(plane + at) - middle) * <i32>load<u8>(alpha + at);
    store<u8>(plane + at, <u8>(middle + <i32>floor<f32>(<f32>product / 255 + 0.5)));
  }
}

/** Undoes `weightPlane` with another alpha, in place; where that is 0, the result is `middle`. */
export function unweightPlane(plane: usize, alpha: usize, count: i32, middle: i32): void {
  for (let at: usize = 0; at < <usize>count; at++) {
    const weight = <i32>load<u8>(alpha + at);
    if (weight === 0) {
      store<u8>(plane + at, <u8>middle);
      continue;
    }
    const scaled = <f32>((<i32>load<u8>(plane + at) - middle) * 255) / <f32>weight;
    const value = middle + <i32>floor<f32>(scaled + 0.5);
    store<u8>(plane + at, <u8>max(0, min(255, value)));
  }
}

/** Multiplies two planes of alpha: a * b / 255, rounded. The target may be one of them. */
export function multiplyAlpha(first: usize, second: usize, target: usize, count: i32): void {
  for (let at: usize = 0; at < <usize>count; at++) {
    const sum = <i32>load<u8>(first + at) * <i32>load<u8>(second + at) + 128;
    store<u8>(target + at, <u8>((sum + (sum >> 8)) >> 8));
  }
}

/**
 * Lays an alpha over another, in place, by the operator "over" (Porter and Duff, "Compositing digital images", 1984).
 * @param above alpha that is laid over
 * @param gain of it, 0 to 256
 * @param share receives the part of each result that comes from `above`, 0 to 255
 */
export function unionAlpha(alpha: usize, above: usize, gain: i32, share: usize, count: i32): void {
  for (let at: usize = 0; at < <usize>count; at++) {
    const over = (<i32>load<u8>(above + at) * gain + 128) >> 8;
    const under = <i32>load<u8>(alpha + at);
    const sum = under * (255 - over) + 128;
    const whole = over + ((sum + (sum >> 8)) >> 8);
    store<u8>(alpha + at, <u8>whole);
    store<u8>(share + at, whole === 0 ? 0 : <u8>((over * 255 + (whole >> 1)) / whole));
  }
}

/** Brings samples of limited range, 16 to 235, to full range, 0 to 255, in place. */
export function widenRange(plane: usize, count: i32): void {
  for (let at: usize = 0; at < <usize>count; at++) {
    const value = max(0, min(219, <i32>load<u8>(plane + at) - 16));
    store<u8>(plane + at, <u8>((value * 255 + 109) / 219));
  }
}
