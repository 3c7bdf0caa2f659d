import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import fc from 'fast-check';
import { beforeAll, describe, expect, it } from 'vitest';
import { resampleTable } from '../decode/resample-table.js';
import { Workspace } from '../decode/workspace.js';
import { createMemory, FIRST_FREE, loadKernels, PAGE, type Kernels } from '../shared/kernels.js';
import { colourCoefficients, type ColourCoding } from '../shared/picture.js';

const wasm = readFileSync(fileURLToPath(new URL('../dist/assets/kernels.wasm', import.meta.url)));

describe('the kernels', () => {
  const memory = createMemory();
  let kernels: Kernels;

  beforeAll(async () => {
    memory.grow(600);
    kernels = await loadKernels(wasm, memory);
  });

  const SOURCE = FIRST_FREE;
  const TARGET = FIRST_FREE + 200 * PAGE;
  const WORK = FIRST_FREE + 400 * PAGE;
  const bytes = (): Uint8Array => new Uint8Array(memory.buffer);
  const put = (values: ArrayLike<number>, at = SOURCE): void => bytes().set(Array.from(values), at);
  const take = (count: number, at = TARGET): number[] => Array.from(bytes().subarray(at, at + count));
  const noise = (count: number, seed: number): number[] => {
    let state = seed + 1;
    return Array.from({ length: count }, () => (state = (state * 48_271) % 2_147_483_647) % 256);
  };

  it.each([2, 4, 8, 16])('reduce boxes of %i by %i to their rounded mean, as plain loops do', (divisor) => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 40 }), fc.integer({ min: 1, max: 6 }), fc.nat(1000), fc.integer({ min: 0, max: 9 }), (width, height, seed, padding) => {
        const stride = width * divisor + padding;
        const source = noise(stride * height * divisor, seed);
        put(source);
        kernels.reduceBox(SOURCE, stride, TARGET, width, height, divisor);
        const expected: number[] = [];
        for (let y = 0; y < height; y++) {
          for (let x = 0; x < width; x++) {
            let sum = 0;
            for (let row = 0; row < divisor; row++) {
              for (let column = 0; column < divisor; column++) sum += source[(y * divisor + row) * stride + x * divisor + column]!;
            }
            expected.push(Math.floor((sum + divisor ** 2 / 2) / divisor ** 2));
          }
        }
        expect(take(width * height)).toEqual(expected);
      }),
      { numRuns: 40 },
    );
  });

  it('resample to any size by the weights of the tables, within rounding', () => {
    const side = fc.integer({ min: 1, max: 60 });
    fc.assert(
      fc.property(side, side, side, side, fc.nat(1000), (width, height, toWidth, toHeight, seed) => {
        const source = noise(width * height, seed);
        put(source);
        const workspace = new Workspace(memory, kernels, WORK, Workspace.bytesFor(PAGE));
        workspace.fit(
          { address: SOURCE, stride: width, width, height },
          { address: TARGET, stride: toWidth, width: toWidth, height: toHeight },
        );
        const rows = weightsOf(height, toHeight);
        const columns = weightsOf(width, toWidth);
        const result = take(toWidth * toHeight);
        for (let y = 0; y < toHeight; y++) {
          for (let x = 0; x < toWidth; x++) {
            let sum = 0;
            for (const [row, rowWeight] of rows[y]!) {
              for (const [column, weight] of columns[x]!) sum += source[row * width + column]! * rowWeight * weight;
            }
            expect(Math.abs(result[y * toWidth + x]! - sum)).toBeLessThanOrEqual(1);
          }
        }
      }),
      { numRuns: 60 },
    );
  });

  /** The weights of a table as numbers, straight from its bytes. */
  function weightsOf(from: number, to: number): [number, number][][] {
    const { bytes: table, entryBytes } = resampleTable(from, to);
    const view = new DataView(table.buffer);
    return Array.from({ length: to }, (_, index) => {
      const first = view.getInt32(index * entryBytes, true);
      const count = view.getInt32(index * entryBytes + 4, true);
      return Array.from({ length: count }, (__, tap): [number, number] => [
        first + tap,
        view.getUint16(index * entryBytes + 8 + 2 * tap, true) / 16_384,
      ]);
    });
  }

  function colour(y: number, cb: number, cr: number, coding: ColourCoding): number[] {
    const width = 12;
    put(Array(width * 2).fill(y));
    put(Array(6).fill(cb), SOURCE + 100);
    put(Array(6).fill(cr), SOURCE + 200);
    kernels.toRgba(SOURCE, SOURCE + 100, SOURCE + 200, TARGET, width, 2, ...colourCoefficients(coding));
    const pixels = take(width * 2 * 4);
    // All pixels are alike, whether a vector or the rest of a row made them.
    for (let pixel = 0; pixel < width * 2; pixel++) {
      pixels.slice(4 * pixel, 4 * pixel + 4).forEach((value, channel) => expect(Math.abs(value - pixels[channel]!)).toBeLessThanOrEqual(1));
    }
    return pixels.slice(0, 4);
  }

  // Recommendation ITU-R BT.709, limited range at 8 bits.
  it.each([
    ['red', [63, 102, 240], [255, 0, 0]],
    ['white', [235, 128, 128], [255, 255, 255]],
    ['black', [16, 128, 128], [0, 0, 0]],
    ['grey', [126, 128, 128], [128, 128, 128]],
  ] as const)('turn BT.709 %s into its colour', (_name, [y, cb, cr], expected) => {
    const [red, green, blue, alpha] = colour(y, cb, cr, { matrix: 'bt709', fullRange: false });
    expected.forEach((value, index) => expect(Math.abs([red!, green!, blue!][index]! - value)).toBeLessThanOrEqual(2));
    expect(alpha).toBe(255);
  });

  it('turn any samples into the colours of the formula, within rounding', () => {
    const level = fc.integer({ min: 0, max: 255 });
    const coding = fc.record({ matrix: fc.constantFrom('bt709' as const, 'bt601' as const, 'bt2020' as const), fullRange: fc.boolean() });
    const weights = { bt709: [0.2126, 0.0722], bt601: [0.299, 0.114], bt2020: [0.2627, 0.0593] } as const;
    fc.assert(
      fc.property(level, level, level, coding, (y, cb, cr, how) => {
        const [kr, kb] = weights[how.matrix];
        const luma = how.fullRange ? y / 255 : (y - 16) / 219;
        const [pb, pr] = [cb, cr].map((value) => (value - 128) / (how.fullRange ? 255 : 224)) as [number, number];
        const red = luma + 2 * (1 - kr) * pr;
        const blue = luma + 2 * (1 - kb) * pb;
        const green = (luma - kr * red - kb * blue) / (1 - kr - kb);
        const expected = [red, green, blue].map((value) => Math.min(255, Math.max(0, Math.round(255 * value))));
        const made = colour(y, cb, cr, how);
        expected.forEach((value, index) => expect(Math.abs(made[index]! - value)).toBeLessThanOrEqual(2));
      }),
      { numRuns: 300 },
    );
  });

  it('part pairs, narrow samples and turn planes', () => {
    const pairs = noise(2 * 37, 3);
    put(pairs);
    kernels.splitPairs(SOURCE, TARGET, TARGET + 100, 37);
    expect(take(37)).toEqual(pairs.filter((_, index) => index % 2 === 0));
    expect(take(37, TARGET + 100)).toEqual(pairs.filter((_, index) => index % 2 === 1));

    const ten = Array.from({ length: 40 }, (_, index) => index * 26);
    new Uint16Array(memory.buffer, SOURCE, 40).set(ten);
    kernels.narrowTo8(SOURCE, TARGET, 40, 10);
    expect(take(40)).toEqual(ten.map((value) => Math.min(255, (value + 2) >> 2)));

    put([1, 2, 3, 4, 5, 6]);
    kernels.turnPlane(SOURCE, TARGET, 3, 2, 1);
    expect(take(6)).toEqual([4, 1, 5, 2, 6, 3]);
    kernels.turnPlane(SOURCE, TARGET, 3, 2, 2);
    expect(take(6)).toEqual([6, 5, 4, 3, 2, 1]);
    kernels.turnPlane(SOURCE, TARGET, 3, 2, 3);
    expect(take(6)).toEqual([3, 6, 2, 5, 1, 4]);
  });

  it('mix two planes by their weights, rounded, as plain arithmetic does', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 70 }), fc.integer({ min: 0, max: 256 }), fc.nat(1000), (count, share, seed) => {
        const first = noise(count, seed);
        const second = noise(count, seed + 7);
        put(first);
        put(second, WORK);
        kernels.mixPlane(SOURCE, WORK, TARGET, count, share);
        expect(take(count)).toEqual(first.map((a, at) => (a * (256 - share) + second[at]! * share + 128) >> 8));
      }),
      { numRuns: 60 },
    );
  });
});
