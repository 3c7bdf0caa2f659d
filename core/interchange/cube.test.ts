import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { InterchangeError, lookUp, readCube } from './index.js';

/** Rows of a table of two steps: corners of the cube in the order of the format, red fastest. */
const CORNERS = Array.from({ length: 8 }, (_, at) => [at & 1, (at >> 1) & 1, at >> 2].map(Number));
const table = (rows: readonly (readonly number[])[], head = 'LUT_3D_SIZE 2'): string =>
  [head, ...rows.map((row) => row.join(' '))].join('\n');

describe('colour tables', () => {
  it('leave colours as they are when every corner is itself', () => {
    const identity = readCube(table(CORNERS));
    fc.assert(
      fc.property(
        fc.tuple(
          fc.float({ min: 0, max: 1, noNaN: true }),
          fc.float({ min: 0, max: 1, noNaN: true }),
          fc.float({ min: 0, max: 1, noNaN: true }),
        ),
        (colour) => {
          lookUp(identity, colour).forEach((value, channel) =>
            expect(value).toBeCloseTo(colour[channel]!, 5),
          );
        },
      ),
    );
  });

  it('interpolate in the tetrahedron that holds the colour, as worked by hand', () => {
    // Only the corner of full red and green answers with red 1; all others with 0.
    const rows = CORNERS.map(([r, g, b]) => [r === 1 && g === 1 && b === 0 ? 1 : 0, 0, 0]);
    const made = readCube(table(rows));
    // Red 0.75, green 0.5, blue 0.25: 000 → 100 → 110 → 111 with weights 0.25, 0.25, 0.25, 0.25.
    expect(lookUp(made, [0.75, 0.5, 0.25])[0]).toBeCloseTo(0.25, 6);
    // Green first: 000 → 010 → 110 → 111. The weight of 110 is red less blue.
    expect(lookUp(made, [0.5, 0.75, 0.125])[0]).toBeCloseTo(0.375, 6);
    // Blue before green: the way does not lead over 110.
    expect(lookUp(made, [0.9, 0.2, 0.6])[0]).toBe(0);
  });

  it('give what ffmpeg’s lut3d with tetrahedral interpolation gives', () => {
    const folder = mkdtempSync(join(tmpdir(), 'hone-cube-'));
    try {
      let state = 7;
      const random = (): number => (state = (state * 48_271) % 2_147_483_647) / 2_147_483_647;
      const rows = Array.from({ length: 27 }, () => [random(), random(), random()]);
      const text = table(rows, 'LUT_3D_SIZE 3');
      writeFileSync(join(folder, 't.cube'), text);
      const pixels = Buffer.from(Array.from({ length: 3 * 64 }, () => Math.floor(256 * random())));
      const args =
        '-v error -f rawvideo -pix_fmt rgb24 -s 8x8 -i - -vf lut3d=t.cube:interp=tetrahedral,format=rgb24 -f rawvideo -';
      const out = execFileSync('ffmpeg', args.split(' '), { input: pixels, cwd: folder });
      const made = readCube(text);
      for (let at = 0; at < pixels.length; at += 3) {
        const result = lookUp(made, [pixels[at]! / 255, pixels[at + 1]! / 255, pixels[at + 2]! / 255]);
        result.forEach((value, channel) =>
          expect(Math.abs(255 * value - out[at + channel]!)).toBeLessThan(1.01),
        );
      }
    } finally {
      rmSync(folder, { recursive: true });
    }
  });

  it('of one dimension work channel by channel, within their domain', () => {
    const made = readCube(
      'TITLE "Darker"\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 2 2 2\nLUT_1D_SIZE 3\n0 0 0\n0.25 0.5 0.75\n1 1 1\n# end',
    );
    expect(made).toMatchObject({ title: 'Darker', kind: '1D', size: 3 });
    expect(lookUp(made, [1, 1, 1])).toEqual([0.25, 0.5, 0.75]);
    expect(lookUp(made, [0.5, 3, -1])).toEqual([0.125, 1, 0]);
  });

  it.each([
    ['a number that is none', 'LUT_3D_SIZE 2\n0 0 nought', /line 2: three numbers were expected/],
    ['numbers before the size', '0 0 0\nLUT_3D_SIZE 2', /line 1: numbers stand before the size/],
    ['a size of one', 'LUT_3D_SIZE 1', /line 1: the size must be a whole number from 2 to 129/],
    ['an enormous size', 'LUT_3D_SIZE 100000', /line 1: the size must be/],
    ['two sizes', 'LUT_3D_SIZE 2\nLUT_1D_SIZE 2', /line 2: a second size/],
    ['an unknown word', 'LUT_3D_SIZE 2\nWEATHER fine', /line 2: "WEATHER" is not known/],
    ['too few rows', table(CORNERS.slice(1)), /ends after 7 rows of 8/],
    ['too many rows', table([...CORNERS, [0, 0, 0]]), /line 10: there are more rows than the 8/],
    [
      'a domain upside down',
      `DOMAIN_MIN 1 1 1\nDOMAIN_MAX 0 2 2\n${table(CORNERS)}`,
      /DOMAIN_MIN must be below/,
    ],
    ['another file', 'hello', /line 1: "hello" is not known/],
    ['nothing', '', /no colour table/],
  ])('refuse %s with the line', (_what, text, message) => {
    expect(() => readCube(text)).toThrow(InterchangeError);
    expect(() => readCube(text)).toThrow(message);
  });
});
