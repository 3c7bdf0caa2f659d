/**
 * Box reduction of one plane of 8-bit samples: each result is the rounded mean of divisor x divisor samples.
 *
 * @param source address of the first sample
 * @param stride bytes from one source row to the next
 * @param target address of the result, rows without padding
 * @param width samples in a row of the result
 * @param height rows of the result
 * @param divisor 2, 4, 8 or 16; the source must have divisor * width by divisor * height samples
 */
export function reduceBox(source: usize, stride: usize, target: usize, width: i32, height: i32, divisor: i32): void {
  for (let y = 0; y < height; y++) {
    const from = source + <usize>y * <usize>divisor * stride;
    const to = target + <usize>y * <usize>width;
    if (divisor == 2) rowBy2(from, stride, to, width);
    else if (divisor == 4) rowBy4(from, stride, to, width);
    else rowByMore(from, stride, to, width, divisor);
  }
}

// Sums of neighbouring pairs in two rows: eight 16-bit lanes.
// @ts-ignore: decorator
@inline
function pairsOf2(at: usize, stride: usize): v128 {
  return i16x8.add(
    i16x8.extadd_pairwise_i8x16_u(v128.load(at)),
    i16x8.extadd_pairwise_i8x16_u(v128.load(at + stride)),
  );
}

// Sums of four by four samples, not yet divided: four 32-bit lanes.
// @ts-ignore: decorator
@inline
function foursOf4(at: usize, stride: usize): v128 {
  const sum = i16x8.add(pairsOf2(at, stride), pairsOf2(at + 2 * stride, stride));
  return i32x4.extadd_pairwise_i16x8_u(sum);
}

function rowBy2(from: usize, stride: usize, to: usize, width: i32): void {
  const half = i16x8.splat(2);
  let x = 0;
  for (; x + 16 <= width; x += 16) {
    const at = from + <usize>x * 2;
    const low = i16x8.shr_u(i16x8.add(pairsOf2(at, stride), half), 2);
    const high = i16x8.shr_u(i16x8.add(pairsOf2(at + 16, stride), half), 2);
    v128.store(to + <usize>x, i8x16.narrow_i16x8_u(low, high));
  }
  scalar(from, stride, to, x, width, 2);
}

function rowBy4(from: usize, stride: usize, to: usize, width: i32): void {
  const half = i32x4.splat(8);
  let x = 0;
  for (; x + 16 <= width; x += 16) {
    const at = from + <usize>x * 4;
    const a = i32x4.shr_u(i32x4.add(foursOf4(at, stride), half), 4);
    const b = i32x4.shr_u(i32x4.add(foursOf4(at + 16, stride), half), 4);
    const c = i32x4.shr_u(i32x4.add(foursOf4(at + 32, stride), half), 4);
    const d = i32x4.shr_u(i32x4.add(foursOf4(at + 48, stride), half), 4);
    const low = i16x8.narrow_i32x4_u(a, b);
    const high = i16x8.narrow_i32x4_u(c, d);
    v128.store(to + <usize>x, i8x16.narrow_i16x8_u(low, high));
  }
  scalar(from, stride, to, x, width, 4);
}

// Sums of neighbouring 32-bit lanes of two vectors, in their order.
// @ts-ignore: decorator
@inline
function pairsOf(first: v128, second: v128): v128 {
  return i32x4.add(
    v128.shuffle<i32>(first, second, 0, 2, 4, 6),
    v128.shuffle<i32>(first, second, 1, 3, 5, 7),
  );
}

// Sixty-four samples of a row at a time; the sums of pairs of all rows stay within 16 bits.
function rowByMore(from: usize, stride: usize, to: usize, width: i32, divisor: i32): void {
  const step = 64 / divisor;
  let x = 0;
  for (; x + step <= width; x += step) {
    let line = from + <usize>x * <usize>divisor;
    let a = i16x8.splat(0);
    let b = a;
    let c = a;
    let d = a;
    for (let row = 0; row < divisor; row++) {
      a = i16x8.add(a, i16x8.extadd_pairwise_i8x16_u(v128.load(line)));
      b = i16x8.add(b, i16x8.extadd_pairwise_i8x16_u(v128.load(line, 16)));
      c = i16x8.add(c, i16x8.extadd_pairwise_i8x16_u(v128.load(line, 32)));
      d = i16x8.add(d, i16x8.extadd_pairwise_i8x16_u(v128.load(line, 48)));
      line += stride;
    }
    const low = pairsOf(i32x4.extadd_pairwise_i16x8_u(a), i32x4.extadd_pairwise_i16x8_u(b));
    const high = pairsOf(i32x4.extadd_pairwise_i16x8_u(c), i32x4.extadd_pairwise_i16x8_u(d));
    if (divisor == 8) {
      const half = i32x4.splat(32);
      const means = i16x8.narrow_i32x4_u(
        i32x4.shr_u(i32x4.add(low, half), 6),
        i32x4.shr_u(i32x4.add(high, half), 6),
      );
      v128.store64_lane(to + <usize>x, i8x16.narrow_i16x8_u(means, means), 0);
    } else {
      const means = i32x4.shr_u(i32x4.add(pairsOf(low, high), i32x4.splat(128)), 8);
      const words = i16x8.narrow_i32x4_u(means, means);
      v128.store32_lane(to + <usize>x, i8x16.narrow_i16x8_u(words, words), 0);
    }
  }
  scalar(from, stride, to, x, width, divisor);
}

function scalar(from: usize, stride: usize, to: usize, start: i32, width: i32, divisor: i32): void {
  const area = divisor * divisor;
  for (let x = start; x < width; x++) {
    let sum = area >> 1;
    for (let row = 0; row < divisor; row++) {
      const line = from + <usize>row * stride + <usize>(x * divisor);
      for (let column = 0; column < divisor; column++) sum += <i32>load<u8>(line + <usize>column);
    }
    store<u8>(to + <usize>x, <u8>(sum / area));
  }
}
