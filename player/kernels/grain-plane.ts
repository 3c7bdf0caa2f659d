const SIDE: i32 = 512;
const MASK: i32 = SIDE - 1;

/**
 * Adds grain to 8-bit samples, in place.
 * @param tile 512 x 512 signed 16-bit values in sixteenths of a level; it goes on periodically
 * @param across where in the tile the first sample lies, 0 to 511
 */
export function grainPlane(plane: usize, width: i32, height: i32, tile: usize, across: i32, down: i32): void {
  const half = i16x8.splat(8);
  for (let y = 0; y < height; y++) {
    const line = tile + (<usize>(((y + down) & MASK) * SIDE) << 1);
    let x = 0;
    while (x < width) {
      const column = (x + across) & MASK;
      const until = min(width, x + SIDE - column);
      let from = line + (<usize>column << 1);
      for (; x + 8 <= until; x += 8, from += 16) {
        const grain = i16x8.shr_s(i16x8.add(v128.load(from), half), 4);
        const sum = i16x8.add(v128.load8x8_u(plane + <usize>x), grain);
        v128.store64_lane(plane + <usize>x, i8x16.narrow_i16x8_u(sum, sum), 0);
      }
      for (; x < until; x++, from += 2) {
        const value = <i32>load<u8>(plane + <usize>x) + ((<i32>load<i16>(from) + 8) >> 4);
        store<u8>(plane + <usize>x, <u8>max(0, min(255, value)));
      }
    }
    plane += <usize>width;
  }
}
