const STEPS: i32 = 33;
const LAST: f32 = 32;

/**
 * Changes the colours of an 8-bit 4:2:0 picture, limited range, by a table, in place. Each pixel is looked up by
 * tetrahedral interpolation with its own luma and the chroma that it shares with three others; the chroma of the result
 * is the mean of the four.
 *
 * @param width even
 * @param height even
 * @param table 33 x 33 x 33 entries of four 32-bit floats, red changing fastest: luma, blue and red difference as codes
 */
export function colourPicture(luma: usize, blue: usize, red: usize, width: i32, height: i32, table: usize): void {
  const half = width >> 1;
  for (let y = 0; y < height; y += 2) {
    const top = luma + <usize>y * <usize>width;
    const chroma = <usize>(y >> 1) * <usize>half;
    for (let x = 0; x < half; x++) {
      const u = <f32>(<i32>load<u8>(blue + chroma + <usize>x) - 128) * (LAST / 224);
      const v = <f32>(<i32>load<u8>(red + chroma + <usize>x) - 128) * (LAST / 224);
      const r: f32 = 1.5748 * v;
      const g: f32 = -0.187324 * u - 0.468124 * v;
      const b: f32 = 1.8556 * u;
      const at = top + (<usize>x << 1);
      let sum = pixel(at, r, g, b, table);
      sum = f32x4.add(sum, pixel(at + 1, r, g, b, table));
      sum = f32x4.add(sum, pixel(at + <usize>width, r, g, b, table));
      sum = f32x4.add(sum, pixel(at + <usize>width + 1, r, g, b, table));
      const mean = f32x4.mul(sum, f32x4.splat(0.25));
      store<u8>(blue + chroma + <usize>x, code(f32x4.extract_lane(mean, 1)));
      store<u8>(red + chroma + <usize>x, code(f32x4.extract_lane(mean, 2)));
    }
  }
}

// @ts-ignore: decorator
@inline
function code(value: f32): u8 {
  return <u8>max<f32>(0, min<f32>(255, value + 0.5));
}

// @ts-ignore: decorator
@inline
function place(value: f32): f32 {
  return max<f32>(0, min<f32>(LAST, value));
}

// Stores the luma of one pixel and gives back its colour.
// @ts-ignore: decorator
@inline
function pixel(at: usize, redPart: f32, greenPart: f32, bluePart: f32, table: usize): v128 {
  const l = <f32>(<i32>load<u8>(at) - 16) * (LAST / 219);
  const r = place(l + redPart);
  const g = place(l + greenPart);
  const b = place(l + bluePart);
  const ri = min<i32>(STEPS - 2, <i32>r);
  const gi = min<i32>(STEPS - 2, <i32>g);
  const bi = min<i32>(STEPS - 2, <i32>b);
  const rf = r - <f32>ri;
  const gf = g - <f32>gi;
  const bf = b - <f32>bi;
  const corner = table + (<usize>(ri + STEPS * (gi + STEPS * bi)) << 4);
  const R: usize = 16;
  const G: usize = 16 * STEPS;
  const B: usize = 16 * STEPS * STEPS;
  // The tetrahedron that holds the colour: along the channel with the largest part first.
  let first: usize;
  let second: usize;
  let most: f32;
  let middle: f32;
  let least: f32;
  if (rf >= gf) {
    if (gf >= bf) {
      first = R; second = R + G; most = rf; middle = gf; least = bf;
    } else if (rf >= bf) {
      first = R; second = R + B; most = rf; middle = bf; least = gf;
    } else {
      first = B; second = R + B; most = bf; middle = rf; least = gf;
    }
  } else if (bf >= gf) {
    first = B; second = G + B; most = bf; middle = gf; least = rf;
  } else if (bf >= rf) {
    first = G; second = G + B; most = gf; middle = bf; least = rf;
  } else {
    first = G; second = R + G; most = gf; middle = rf; least = bf;
  }
  let sum = f32x4.mul(v128.load(corner), f32x4.splat(1 - most));
  sum = f32x4.add(sum, f32x4.mul(v128.load(corner + first), f32x4.splat(most - middle)));
  sum = f32x4.add(sum, f32x4.mul(v128.load(corner + second), f32x4.splat(middle - least)));
  sum = f32x4.add(sum, f32x4.mul(v128.load(corner + R + G + B), f32x4.splat(least)));
  store<u8>(at, code(f32x4.extract_lane(sum, 0)));
  return sum;
}
