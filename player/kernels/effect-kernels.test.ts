import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { blurWeights, colourCodes, recursionFor, type KnownEffect } from '@hone/core/render';
import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import { grainTile, tileOffset, TILE_SIDE } from '../decode/grain-tile.js';
import { createMemory, FIRST_FREE, loadKernels, PAGE, type Kernels } from '../shared/kernels.js';
import {
  colourCoefficients,
  recodeCoefficients,
  VIDEO_BT709,
  type ColourCoding,
} from '../shared/picture.js';

const wasm = readFileSync(fileURLToPath(new URL('../dist/assets/kernels.wasm', import.meta.url)));

describe('the kernels of effects', () => {
  const memory = createMemory();
  let kernels: Kernels;
  const A = FIRST_FREE;
  const B = A + 20 * PAGE;
  const C = B + 20 * PAGE;
  const WORK = C + 20 * PAGE;
  const bytes = (): Uint8Array => new Uint8Array(memory.buffer);
  const put = (values: ArrayLike<number>, at: number): void => bytes().set(Array.from(values), at);
  const take = (count: number, at: number): number[] => Array.from(bytes().subarray(at, at + count));
  const side = fc.integer({ min: 1, max: 45 });
  const noise = (count: number, seed: number): number[] => {
    let state = seed + 1;
    return Array.from({ length: count }, () => (state = (state * 48_271) % 2_147_483_647) % 256);
  };
  const mean = (values: readonly number[]): number => values.reduce((sum, each) => sum + each, 0) / values.length;

  beforeAll(async () => {
    memory.grow(200);
    kernels = await loadKernels(wasm, memory);
  });

  it('weigh by alpha and back, multiply alpha, and lay one over another, as in floating point', () => {
    fc.assert(
      fc.property(fc.nat(999), fc.integer({ min: 0, max: 256 }), fc.constantFrom(0, 128), (seed, gain, middle) => {
        const [values, alpha] = [noise(500, seed), noise(500, seed + 7)];
        put(values, A);
        put(alpha, B);
        kernels.weightPlane(A, B, 500, middle);
        take(500, A).forEach((value, at) => {
          const exact = middle + ((values[at]! - middle) * alpha[at]!) / 255;
          expect(Math.abs(value - exact)).toBeLessThan(0.51);
        });
        kernels.unweightPlane(A, B, 500, middle);
        take(500, A).forEach((value, at) => {
          // A weight of a few steps leaves a few steps of the value.
          const left = alpha[at] === 0 ? 0 : values[at]! - middle;
          expect(Math.abs(value - middle - left)).toBeLessThan(1 + 128 / Math.max(1, alpha[at]!));
        });
        put(values, A);
        kernels.multiplyAlpha(A, B, C, 500);
        take(500, C).forEach((value, at) => expect(value).toBe(Math.round((values[at]! * alpha[at]!) / 255)));
        // Porter and Duff, "Compositing digital images", Computer Graphics 18(3), 1984: over.
        kernels.unionAlpha(A, B, gain, C, 500);
        const shares = take(500, C);
        take(500, A).forEach((whole, at) => {
          const above = (alpha[at]! * gain) / 256;
          const exact = above + (values[at]! * (255 - above)) / 255;
          expect(Math.abs(whole - exact)).toBeLessThan(1.6);
          if (whole > 0) expect(Math.abs(shares[at]! - (255 * above) / exact)).toBeLessThan(1 + 300 / whole);
        });
      }),
    );
  });

  it('blur a line as the weights say that the graphics processor blurs with', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 900 }), fc.double({ min: 0.3, max: 9, noNaN: true }), fc.nat(999), (count, deviation, seed) => {
        const source = noise(count, seed);
        put(source, A);
        const { share, border, scale } = recursionFor(deviation);
        kernels.blurPlane(A, B, count, 1, share, border, scale, WORK);
        const { reach, places, weights } = blurWeights(deviation, count);
        const half = places >> 1;
        const result = take(count, B);
        for (let at = 0; at < count; at++) {
          const row = at < half ? at : at >= count - half ? at - count + places : half;
          let exact = 0;
          for (let apart = -reach; apart <= reach; apart++)
            exact += weights[row * (2 * reach + 1) + apart + reach]! * (source[at + apart] ?? 0);
          expect(Math.abs(result[at]! - exact)).toBeLessThan(1);
        }
      }),
    );
  });

  it('blur as the recursion says, in plain loops, at any size', () => {
    fc.assert(
      fc.property(side, side, fc.double({ min: 0.3, max: 9, noNaN: true }), fc.nat(999), (width, height, deviation, seed) => {
        const source = noise(width * height, seed);
        put(source, A);
        const { share, border, scale } = recursionFor(deviation);
        kernels.blurPlane(A, B, width, height, share, border, scale, WORK);
        const sums = Float64Array.from(source);
        const along = (first: number, step: number, count: number): void => {
          for (let pass = 0; pass < 4; pass++) {
            sums[first]! *= border;
            for (let at = 1; at < count; at++) sums[first + at * step]! += share * sums[first + (at - 1) * step]!;
            sums[first + (count - 1) * step]! *= border;
            for (let at = count - 2; at >= 0; at--) sums[first + at * step]! += share * sums[first + (at + 1) * step]!;
          }
        };
        for (let y = 0; y < height; y++) along(y * width, 1, width);
        for (let x = 0; x < width; x++) along(x, width, height);
        const result = take(width * height, B);
        sums.forEach((value, at) => {
          const exact = Math.min(255, Math.max(0, value * scale));
          expect(Math.abs(result[at]! - exact)).toBeLessThanOrEqual(0.6 + 0.002 * exact);
        });
      }),
      { numRuns: 40 },
    );
  });

  it('leave colours alone with a table that does nothing, within one code', () => {
    const plain: KnownEffect = { id: 'c', kind: 'contrast', enabled: true, values: {} };
    const codes = colourCodes([plain], () => undefined);
    new Float32Array(memory.buffer, C, codes.length).set(codes);
    const width = 16;
    // Colours that can be seen: small chroma about a middle luma.
    const luma = noise(width * 4, 5).map((value) => 90 + (value % 60));
    const chroma = noise(width, 6).map((value) => 118 + (value % 20));
    put(luma, A);
    put(chroma, B);
    put([...chroma].reverse(), B + 1000);
    kernels.colourPicture(A, B, B + 1000, width, 4, C);
    take(width * 4, A).forEach((value, at) => expect(Math.abs(value - luma[at]!)).toBeLessThanOrEqual(1));
    take(width, B).forEach((value, at) => expect(Math.abs(value - chroma[at]!)).toBeLessThanOrEqual(1));
  });

  it.each([
    ['bt601', false],
    ['bt601', true],
    ['bt709', true],
    ['bt2020', false],
  ] as const)('turn the codes of %s (full range: %s) into those of BT.709 that show the same colour', (matrix, fullRange) => {
    const seen = (y: number, u: number, v: number, coding: ColourCoding): number[] => {
      put(Array(16).fill(y), A);
      put(Array(4).fill(u), B);
      put(Array(4).fill(v), B + 100);
      kernels.toRgba(A, B, B + 100, C, 8, 2, ...colourCoefficients(coding));
      return take(3, C);
    };
    for (const [y, u, v] of [[120, 128, 128], [150, 110, 140], [90, 140, 120], [200, 120, 131]] as const) {
      const wanted = seen(y, u, v, { matrix, fullRange });
      put(Array(16).fill(y), A);
      put(Array(4).fill(u), B);
      put(Array(4).fill(v), B + 100);
      kernels.recodePicture(A, B, B + 100, 8, 2, ...recodeCoefficients({ matrix, fullRange }));
      const [luma, blue, red] = [take(1, A)[0]!, take(1, B)[0]!, take(1, B + 100)[0]!];
      seen(luma, blue, red, VIDEO_BT709).forEach((value, channel) =>
        expect(Math.abs(value - wanted[channel]!)).toBeLessThanOrEqual(3),
      );
    }
  });

  it('lay samples over others by alpha and gain, as the formula says', () => {
    fc.assert(
      fc.property(side, fc.integer({ min: 0, max: 256 }), fc.nat(999), (count, gain, seed) => {
        const [below, above, alpha] = [1, 2, 3].map((each) => noise(count, seed + each)) as [number[], number[], number[]];
        put(below, A);
        put(above, B);
        put(alpha, C);
        kernels.blendPlane(A, count, B, count, C, count, count, 1, gain);
        take(count, A).forEach((value, at) => {
          const a = (alpha[at]! / 255) * (gain / 256);
          expect(Math.abs(value - (below[at]! * (1 - a) + above[at]! * a))).toBeLessThan(1.2);
        });
        put(below, A);
        kernels.coverPlane(A, 40, C, count, gain);
        take(count, A).forEach((value, at) => {
          const a = (alpha[at]! / 255) * (gain / 256);
          expect(Math.abs(value - (below[at]! * (1 - a) + 40 * a))).toBeLessThan(1.2);
        });
      }),
    );
  });

  it('sharpen by what a blur takes away, and clip', () => {
    put([100, 10, 250, ...noise(20, 1)], A);
    put([90, 60, 200, ...noise(20, 2)], B);
    const before = take(23, A);
    const soft = take(23, B);
    kernels.sharpenPlane(A, B, 23, 384);
    take(23, A).forEach((value, at) => {
      const exact = before[at]! + 1.5 * (before[at]! - soft[at]!);
      expect(Math.abs(value - Math.min(255, Math.max(0, exact)))).toBeLessThanOrEqual(1);
    });
  });

  it('find each sample again when nothing moves, and turn by a half turn exactly', () => {
    const [width, height] = [7, 5];
    const source = noise(width * height, 3);
    put(source, A);
    kernels.warpPlane(A, width, height, B, width, height, 1, 0, 0, 0, 1, 0, -1);
    expect(take(35, B)).toEqual(source);
    kernels.warpPlane(A, width, height, B, width, height, -1, 0, width, 0, -1, height, -1);
    expect(take(35, B)).toEqual([...source].reverse());
    kernels.warpPlane(A, width, height, B, width, height, 1, 0, 100, 0, 1, 0, 9);
    expect(take(35, B)).toEqual(Array(35).fill(9));
  });

  it('add grain with the deviation that is asked for, alike at no two frames, and coarser where grains are larger', () => {
    for (const cell of [1, 2.5, 6]) {
      const tile = grainTile(6, cell);
      new Int16Array(memory.buffer, C, tile.length).set(tile);
      const made = [1, 2].map((frame) => {
        put(Array<number>(256 * 256).fill(120), A);
        kernels.grainPlane(A, 256, 256, C, ...tileOffset(frame));
        return take(256 * 256, A).map((value) => value - 120);
      }) as [number[], number[]];
      const variance = mean(made[0].map((value) => value * value));
      expect(Math.abs(mean(made[0]))).toBeLessThan(0.5);
      expect(Math.sqrt(variance) / 6).toBeGreaterThan(0.9);
      expect(Math.sqrt(variance) / 6).toBeLessThan(1.1);
      const neighbours = mean(made[0].slice(1).map((value, at) => value * made[0][at]!)) / variance;
      const frames = mean(made[0].map((value, at) => value * made[1][at]!)) / variance;
      expect(Math.abs(frames)).toBeLessThan(0.1);
      if (cell === 1) expect(Math.abs(neighbours)).toBeLessThan(0.1);
      else expect(neighbours).toBeGreaterThan(0.4);
    }
    expect(TILE_SIDE).toBe(512);
  });
});
