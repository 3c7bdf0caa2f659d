/**
 * Turns a plane of 8-bit samples clockwise.
 * @param width samples in a row of the source
 * @param height rows of the source
 * @param quarters 1, 2 or 3 quarter turns
 */
export function turnPlane(source: usize, target: usize, width: i32, height: i32, quarters: i32): void {
  for (let y = 0; y < height; y++) {
    const from = source + <usize>y * <usize>width;
    for (let x = 0; x < width; x++) {
      let to: i32;
      if (quarters == 1) to = x * height + (height - 1 - y);
      else if (quarters == 2) to = (height - 1 - y) * width + (width - 1 - x);
      else to = (width - 1 - x) * height + y;
      store<u8>(target + <usize>to, load<u8>(from + <usize>x));
    }
  }
}
