/**
 * Separable resampling of one plane of 8-bit samples by tables of weights, rows first.
 *
 * A table has, for each result, three things: the first source index (i32), the number of weights (i32), and the
 * weights (16 bits with a sign, 16384 is one, their sum is 16384), filled up with zeros to a multiple of four.
 *
 * @param source address of the first sample
 * @param stride bytes from one source row to the next
 * @param sourceWidth samples in a source row
 * @param target address of the result, rows without padding
 * @param rows table for the rows; of so many bytes an entry
 * @param columns table for the columns, laid out alike
 * @param work room for sourceWidth + 16 values of 16 bits
 */
export function resamplePlane(
  source: usize,
  stride: usize,
  sourceWidth: i32,
  target: usize,
  width: i32,
  height: i32,
  rows: usize,
  rowEntry: i32,
  columns: usize,
  columnEntry: i32,
  work: usize,
): void {
  for (let y = 0; y < height; y++) {
    const row = rows + <usize>(y * rowEntry);
    const first = load<i32>(row);
    const count = load<i32>(row, 4);
    sumRows(source + <usize>first * stride, stride, sourceWidth, row + 8, count, work);
    const to = target + <usize>y * <usize>width;
    for (let x = 0; x < width; x++) {
      const column = columns + <usize>(x * columnEntry);
      const start = work + ((<usize>load<i32>(column)) << 1);
      const taps = load<i32>(column, 4);
      let sums = i32x4.splat(0);
      for (let tap = 0; tap < taps; tap += 4) {
        const offset = (<usize>tap) << 1;
        sums = i32x4.add(
          sums,
          i32x4.dot_i16x8_s(v128.load64_zero(start + offset), v128.load64_zero(column + 8 + offset)),
        );
      }
      const sum = i32x4.extract_lane(sums, 0) + i32x4.extract_lane(sums, 1) + (1 << 19);
      store<u8>(to + <usize>x, <u8>max(0, min(255, sum >> 20)));
    }
  }
}

// The weighted sum of rows, with 6 bits behind the point, so that twice 255 fits in 15 bits.
function sumRows(from: usize, stride: usize, width: i32, weights: usize, count: i32, work: usize): void {
  let x = 0;
  for (; x + 8 <= width; x += 8) {
    let low = i32x4.splat(128);
    let high = i32x4.splat(128);
    for (let row = 0; row < count; row++) {
      const samples = v128.load8x8_u(from + <usize>row * stride + <usize>x);
      const weight = i16x8.splat(<i16>load<i16>(weights + ((<usize>row) << 1)));
      low = i32x4.add(low, i32x4.extmul_low_i16x8_s(samples, weight));
      high = i32x4.add(high, i32x4.extmul_high_i16x8_s(samples, weight));
    }
    low = i32x4.shr_s(low, 8);
    high = i32x4.shr_s(high, 8);
    v128.store(work + ((<usize>x) << 1), i16x8.narrow_i32x4_s(low, high));
  }
  for (; x < width; x++) {
    let sum: i32 = 128;
    for (let row = 0; row < count; row++) {
      sum +=
        <i32>load<u8>(from + <usize>row * stride + <usize>x) * <i32>load<i16>(weights + ((<usize>row) << 1));
    }
    store<i16>(work + ((<usize>x) << 1), <i16>(sum >> 8));
  }
}
