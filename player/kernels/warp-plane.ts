/**
 * Takes samples of one plane from places of another, between four samples each (bilinear). A place is found by a map that
 * keeps parallels: across = a x + b y + c, down = d x + e y + f, in samples from the corner.
 * @param outside sample beyond the source: 0 to 255, or -1 for its nearest sample
 */
export function warpPlane(
  source: usize,
  sourceWidth: i32,
  sourceHeight: i32,
  target: usize,
  width: i32,
  height: i32,
  a: f32,
  b: f32,
  c: f32,
  d: f32,
  e: f32,
  f: f32,
  outside: i32,
): void {
  for (let y = 0; y < height; y++) {
    const middle = <f32>y + 0.5;
    let across = a * 0.5 + b * middle + c - 0.5;
    let down = d * 0.5 + e * middle + f - 0.5;
    for (let x = 0; x < width; x++) {
      store<u8>(target + <usize>x, sample(source, sourceWidth, sourceHeight, across, down, outside));
      across += a;
      down += d;
    }
    target += <usize>width;
  }
}

// @ts-ignore: decorator
@inline
function sample(source: usize, width: i32, height: i32, across: f32, down: f32, outside: i32): u8 {
  const isFar = across <= -1 || down <= -1 || across >= <f32>width || down >= <f32>height;
  if (isFar && outside >= 0) return <u8>outside;
  const left = floor<f32>(across);
  const top = floor<f32>(down);
  const x = <i32>left;
  const y = <i32>top;
  const right = <i32>((across - left) * 256);
  const low = <i32>((down - top) * 256);
  let p: i32, q: i32, r: i32, s: i32;
  if (x >= 0 && y >= 0 && x + 1 < width && y + 1 < height) {
    const at = source + <usize>(y * width + x);
    p = load<u8>(at);
    q = load<u8>(at, 1);
    r = load<u8>(at + <usize>width);
    s = load<u8>(at + <usize>width, 1);
  } else {
    p = at(source, width, height, x, y, outside);
    q = at(source, width, height, x + 1, y, outside);
    r = at(source, width, height, x, y + 1, outside);
    s = at(source, width, height, x + 1, y + 1, outside);
  }
  const above = p * (256 - right) + q * right;
  const below = r * (256 - right) + s * right;
  return <u8>((above * (256 - low) + below * low + 32_768) >> 16);
}

function at(source: usize, width: i32, height: i32, x: i32, y: i32, outside: i32): i32 {
  if (outside >= 0 && (x < 0 || y < 0 || x >= width || y >= height)) return outside;
  const column = max(0, min(width - 1, x));
  const row = max(0, min(height - 1, y));
  return <i32>load<u8>(source + <usize>(row * width + column));
}
