const PASSES: i32 = 4;

/**
 * A Gaussian blur of one plane of 8-bit samples, as the recursion that core/render describes: four passes forwards and
 * backwards along the rows, then along the columns. Its cost does not depend on the radius.
 *
 * @param target address of the result, rows without padding; may be the source
 * @param share what a sample takes of the one before
 * @param border what the first and the last sample of a line count
 * @param scale what the sums are multiplied by in the end
 * @param work room for (width + 3) * (height + 3) 32-bit floats
 */
export function blurPlane(
  source: usize,
  target: usize,
  width: i32,
  height: i32,
  share: f32,
  border: f32,
  scale: f32,
  work: usize,
): void {
  // Rows are wider by up to three, so that four columns can be taken at once.
  const wide = (width + 3) & ~3;
  const row = <usize>wide << 2;
  // Four rows stand beside each other while they are blurred along.
  const strip = work + row * <usize>((height + 3) & ~3);
  const nu = f32x4.splat(share);
  const edge = f32x4.splat(border);
  for (let y = 0; y < height; y += 4) {
    const a = source + <usize>y * <usize>width;
    const b = source + <usize>min(y + 1, height - 1) * <usize>width;
    const c = source + <usize>min(y + 2, height - 1) * <usize>width;
    const d = source + <usize>min(y + 3, height - 1) * <usize>width;
    for (let x: usize = 0; x < <usize>width; x++) {
      v128.store(
        strip + (x << 4),
        f32x4(<f32>load<u8>(a + x), <f32>load<u8>(b + x), <f32>load<u8>(c + x), <f32>load<u8>(d + x)),
      );
    }
    along(strip, 16, width, nu, edge);
    const to = work + <usize>y * row;
    for (let x: usize = 0; x < <usize>width; x++) {
      const sums = v128.load(strip + (x << 4));
      const at = to + (x << 2);
      store<f32>(at, f32x4.extract_lane(sums, 0));
      store<f32>(at + row, f32x4.extract_lane(sums, 1));
      store<f32>(at + 2 * row, f32x4.extract_lane(sums, 2));
      store<f32>(at + 3 * row, f32x4.extract_lane(sums, 3));
    }
  }
  for (let x = 0; x < wide; x += 4) along(work + (<usize>x << 2), row, height, nu, edge);
  for (let y = 0; y < height; y++) {
    const from = work + <usize>y * row;
    const to = target + <usize>y * <usize>width;
    for (let x: usize = 0; x < <usize>width; x++) {
      const value = load<f32>(from + (x << 2)) * scale + 0.5;
      store<u8>(to + x, <u8>max<f32>(0, min<f32>(255, value)));
    }
  }
}

// Four lines at once, `step` bytes from sample to sample.
function along(from: usize, step: usize, count: i32, nu: v128, edge: v128): void {
  const last = from + <usize>(count - 1) * step;
  for (let pass = 0; pass < PASSES; pass++) {
    let before = f32x4.mul(v128.load(from), edge);
    v128.store(from, before);
    for (let at = from + step; at <= last; at += step) {
      before = f32x4.add(v128.load(at), f32x4.mul(nu, before));
      v128.store(at, before);
    }
    before = f32x4.mul(before, edge);
    v128.store(last, before);
    for (let at = last - step; at >= from; at -= step) {
      before = f32x4.add(v128.load(at), f32x4.mul(nu, before));
      v128.store(at, before);
    }
  }
}
