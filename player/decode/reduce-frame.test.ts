import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { beforeAll, describe, expect, it } from 'vitest';
import { createMemory, FIRST_FREE, loadKernels, type Kernels } from '../shared/kernels.js';
import { planarBytes } from '../shared/picture.js';
import { reduceFrame, reductionBytes, type Reduction } from './reduce-frame.js';
import { Workspace } from './workspace.js';

const wasm = readFileSync(fileURLToPath(new URL('../dist/assets/kernels.wasm', import.meta.url)));

interface FakePlane {
  readonly width: number;
  readonly height: number;
  /** Samples of one row, from its number. */
  readonly row: (y: number) => number[];
}

/** A decoded frame as WebCodecs hands it over, with rows that are longer than the picture. */
function fakeFrame(
  format: string | null,
  width: number,
  height: number,
  planes: FakePlane[],
  bytesPerSample = 1,
): VideoFrame {
  const padding = 6 * bytesPerSample;
  const layouts = planes.map((plane) => ({
    stride: plane.width * bytesPerSample + padding,
    rows: plane.height,
  }));
  const allocation = layouts.reduce((sum, { stride, rows }) => sum + stride * rows, 0);
  return {
    format,
    codedWidth: width,
    codedHeight: height,
    visibleRect: { x: 0, y: 0, width, height },
    colorSpace: { matrix: 'bt709', fullRange: false },
    allocationSize: () => allocation,
    copyTo: (target: Uint8Array, { rect = { y: 0, height } }: { rect?: { y: number; height: number } }) => {
      let offset = 0;
      const result = planes.map((plane, index) => {
        const { stride } = layouts[index]!;
        const divisor = height / plane.height;
        const first = rect.y / divisor;
        for (let y = first; y < first + rect.height / divisor; y++) {
          plane.row(y).forEach((sample, x) => {
            const at = offset + (y - first) * stride + x * bytesPerSample;
            target[at] = sample & 255;
            if (bytesPerSample === 2) target[at + 1] = sample >> 8;
          });
        }
        const layout = { offset, stride };
        offset += stride * plane.height;
        return layout;
      });
      return Promise.resolve(result);
    },
  } as unknown as VideoFrame;
}

const ramp = (width: number, height: number, from: number, scale = 1): FakePlane => ({
  width,
  height,
  row: (y) => Array.from({ length: width }, (_, x) => (from + x + 8 * y) * scale),
});

describe('a decoded frame', () => {
  const memory = createMemory();
  let kernels: Kernels;
  let workspace: Workspace;
  const target = FIRST_FREE;
  const size = { width: 8, height: 4 };

  beforeAll(async () => {
    memory.grow(64);
    kernels = await loadKernels(wasm, memory);
    const room = Workspace.bytesFor(reductionBytes({ width: 16, height: 8 }, { width: 16, height: 8 }));
    workspace = new Workspace(memory, kernels, FIRST_FREE + 65_536, room);
  });

  async function reduced(frame: VideoFrame, reduction: Partial<Reduction> = {}): Promise<number[][]> {
    const made: Reduction = {
      target: size,
      quarters: 0,
      address: target,
      kind: 'quick',
      stacked: null,
      ...reduction,
    };
    const bytes = new Uint8Array(memory.buffer);
    bytes.fill(0, target, target + 4096);
    await reduceFrame(frame, made, memory, kernels, workspace);
    const { width, height } = made.target;
    const all = [...bytes.subarray(target, target + planarBytes(width, height))];
    const luma = width * height;
    const chroma = luma / 4;
    return [all.slice(0, luma), all.slice(luma, luma + chroma), all.slice(luma + chroma)];
  }

  const flat = (plane: FakePlane): number[] =>
    Array.from({ length: plane.height }, (_, y) => plane.row(y)).flat();
  const [luma, blue, red] = [ramp(8, 4, 20), ramp(4, 2, 90), ramp(4, 2, 150)];
  const planar = [flat(luma), flat(blue), flat(red)];

  it('of software decoders keeps its samples when it has the size of the preview', async () => {
    // At its own size the decoder writes straight into the slot, so that the planes stand without padding.
    const tight = {
      ...fakeFrame('I420', 8, 4, [luma, blue, red]),
      copyTo: (to: Uint8Array) => {
        to.set(planar.flat());
        return Promise.resolve([]);
      },
    } as unknown as VideoFrame;
    expect(await reduced(tight)).toEqual(planar);
  });

  it('of hardware decoders, with paired chroma, becomes the same picture', async () => {
    const pairs: FakePlane = {
      width: 8,
      height: 2,
      row: (y) => blue.row(y).flatMap((sample, x) => [sample, red.row(y)[x]!]),
    };
    expect(await reduced(fakeFrame('NV12', 8, 4, [luma, pairs]))).toEqual(planar);
  });

  it('of ten bits becomes the same picture in eight', async () => {
    const ten = [ramp(8, 4, 20, 4), ramp(4, 2, 90, 4), ramp(4, 2, 150, 4)];
    expect(await reduced(fakeFrame('I420P10', 8, 4, ten, 2))).toEqual(planar);
  });

  it('with full chroma is reduced to half of it', async () => {
    const full = [luma, ramp(8, 4, 60), ramp(8, 4, 60)];
    const [kept, cb] = await reduced(fakeFrame('I444', 8, 4, full));
    expect(kept).toEqual(planar[0]);
    // The mean of two by two samples of a ramp: half a step across and half a row down.
    expect(cb).toEqual([65, 67, 69, 71, 81, 83, 85, 87]);
    const [, , halfHigh] = await reduced(fakeFrame('I422', 8, 4, [luma, ramp(4, 4, 60), ramp(4, 4, 60)]));
    expect(halfHigh).toEqual([64, 65, 66, 67, 80, 81, 82, 83]);
  });

  it('is reduced by the mean of its samples', async () => {
    const large = [ramp(16, 8, 10), ramp(8, 4, 60), ramp(8, 4, 60)];
    const [half] = await reduced(fakeFrame('I420', 16, 8, large));
    expect(half!.slice(0, 3)).toEqual([15, 17, 19]);
    expect(half).toHaveLength(32);
  });

  it('gives its alpha, which stands as grey below the colours, behind the result', async () => {
    // Colours in 8 rows, alpha from row 16 on: 16 is transparent, 126 is half, 235 is opaque.
    const [wide, small] = [ramp(16, 8, 10), ramp(8, 4, 60)];
    const greys = [16, 16, 16, 16, 126, 126, 126, 126, 235, 235, 235, 235, 250, 250, 3, 3];
    const stack = (colours: FakePlane, below: readonly number[]): FakePlane => ({
      width: colours.width,
      height: 4 * colours.height,
      row: (y) => (y < colours.height ? colours.row(y) : [...below]),
    });
    const none = Array.from({ length: 8 }, () => 128);
    const frame = fakeFrame('I420', 16, 32, [stack(wide, greys), stack(small, none), stack(small, none)]);
    const stacked = { width: 16, height: 8, alphaRow: 16 };
    const [half, cb] = await reduced(frame, { stacked });
    expect(half!.slice(0, 3)).toEqual([15, 17, 19]);
    expect(cb!.slice(0, 2)).toEqual([65, 67]);
    const bytes = new Uint8Array(memory.buffer, target + planarBytes(8, 4), 40);
    expect([...bytes.subarray(0, 8)]).toEqual([0, 0, 128, 128, 255, 255, 255, 0]);
    expect([...bytes.subarray(32, 36)]).toEqual([0, 128, 255, 128]);
  });

  it('is turned upright', async () => {
    const [turned] = await reduced(fakeFrame('I420', 8, 4, [luma, blue, red]), {
      quarters: 1,
      target: { width: 4, height: 8 },
    });
    // Clockwise: the first column, from below, becomes the first row.
    expect(turned!.slice(0, 4)).toEqual([44, 36, 28, 20]);
    expect(turned!.at(-1)).toBe(27);
    const [over] = await reduced(fakeFrame('I420', 8, 4, [luma, blue, red]), { quarters: 2 });
    expect(over).toEqual([...planar[0]!].reverse());
  });

  it('in a format that cannot be taken is refused with what to do', async () => {
    await expect(reduced(fakeFrame(null, 8, 4, [luma]))).rejects.toThrow(/Make a light copy/);
    await expect(reduced(fakeFrame('RGBX', 8, 4, [luma]))).rejects.toThrow(/RGBX/);
  });
});
