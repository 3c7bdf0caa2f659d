/** Bytes of a shape: ten 32-bit floats. */
const SHAPE: usize = 40;

/**
 * How much of each pixel is seen through shapes, 0 to 255, as `seenAtPoint` in core/render says.
 * @param shapes for each: 1 for an ellipse or 0, 1 when it keeps its inside or 0, middle across and down, half width,
 *   half height, cosine and sine of its angle, feather, strength
 */
export function shapeAlpha(target: usize, width: i32, height: i32, shapes: usize, count: i32): void {
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      let seen: f32 = 1;
      for (let index = 0; index < count && seen > 0; index++) {
        seen *= seenIn(shapes + <usize>index * SHAPE, <f32>x + 0.5, <f32>y + 0.5);
      }
      store<u8>(target + <usize>x, <u8>(seen * 255 + 0.5));
    }
    target += <usize>width;
  }
}

// @ts-ignore: decorator
@inline
function seenIn(shape: usize, x: f32, y: f32): f32 {
  const dx = x - load<f32>(shape, 8);
  const dy = y - load<f32>(shape, 12);
  const halfWidth = load<f32>(shape, 16);
  const halfHeight = load<f32>(shape, 20);
  const cos = load<f32>(shape, 24);
  const sin = load<f32>(shape, 28);
  const u = dx * cos + dy * sin;
  const v = dy * cos - dx * sin;
  let inside: f32;
  if (load<f32>(shape) > 0) {
    const across = u / halfWidth;
    const down = v / halfHeight;
    inside = (1 - sqrt<f32>(across * across + down * down)) * min(halfWidth, halfHeight);
  } else {
    inside = min(halfWidth - abs<f32>(u), halfHeight - abs<f32>(v));
  }
  const share = max<f32>(0, min<f32>(1, 0.5 + inside / load<f32>(shape, 32)));
  return 1 - load<f32>(shape, 36) * (load<f32>(shape, 4) > 0 ? 1 - share : share);
}
