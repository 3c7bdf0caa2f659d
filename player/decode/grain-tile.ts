import { INTERPOLATED_DEVIATION } from '@hone/core/render';

/** Samples along each side of a tile; the kernel knows it as well. */
export const TILE_SIDE = 512;

/**
 * Grain as the kernel takes it, in sixteenths of a level: normally distributed values on a grid of one for each grain,
 * interpolated between, and going on periodically. The polar method: G. Marsaglia, T. A. Bray, SIAM Review 6(3), 1964.
 * @param cell samples from grain to grain, at least 1
 */
export function grainTile(deviation: number, cell: number): Int16Array {
  const count = Math.max(2, Math.round(TILE_SIDE / cell));
  const isFine = count === TILE_SIDE;
  const random = generator(count);
  const grains = Float32Array.from({ length: count * count }, () => normal(random));
  const gain = (16 * deviation) / (isFine ? 1 : INTERPOLATED_DEVIATION);
  const tile = new Int16Array(TILE_SIDE * TILE_SIDE);
  const step = count / TILE_SIDE;
  const row = new Float32Array(count);
  for (let y = 0; y < TILE_SIDE; y++) {
    const [above, below, down] = between(y, step, count);
    for (let x = 0; x < count; x++)
      row[x] = grains[above * count + x]! * (1 - down) + grains[below * count + x]! * down;
    for (let x = 0; x < TILE_SIDE; x++) {
      const [left, right, across] = between(x, step, count);
      tile[y * TILE_SIDE + x] = Math.round(gain * (row[left]! * (1 - across) + row[right]! * across));
    }
  }
  return tile;
}

function between(at: number, step: number, count: number): [number, number, number] {
  const place = (at + 0.5) * step - 0.5;
  const first = Math.floor(place);
  return [(first + count) % count, (first + 1) % count, place - first];
}

/** Where the tile begins in a frame: anywhere, but the same whenever the frame is shown. */
export function tileOffset(frame: number): readonly [across: number, down: number] {
  const random = generator(frame * 7919 + 17);
  random();
  return [Math.floor(random() * TILE_SIDE), Math.floor(random() * TILE_SIDE)];
}

// The generator of S. K. Park and K. W. Miller, Communications of the ACM 31(10), 1988.
function generator(seed: number): () => number {
  let state = (Math.abs(seed) % 2_147_483_645) + 1;
  return () => (state = (state * 48_271) % 2_147_483_647) / 2_147_483_647;
}

function normal(random: () => number): number {
  for (;;) {
    const [u, v] = [2 * random() - 1, 2 * random() - 1];
    const square = u * u + v * v;
    if (square > 0 && square < 1) return u * Math.sqrt((-2 * Math.log(square)) / square);
  }
}
