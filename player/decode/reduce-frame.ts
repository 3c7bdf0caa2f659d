import type { FrameSize } from '@hone/core/timeline';
import type { Kernels } from '../shared/kernels.js';
import {
  planarAt,
  planarBytes,
  VIDEO_BT709,
  type ColourCoding,
  type Plane,
  type Planes,
} from '../shared/picture.js';
import type { ResampleKind } from './resample-table.js';
import type { Workspace } from './workspace.js';

/** What is done with a decoded frame to make a preview picture of it. */
export interface Reduction {
  /** Size of the result. */
  readonly target: FrameSize;
  /** Quarter turns clockwise. */
  readonly quarters: number;
  /** Where the result goes. */
  readonly address: number;
  readonly kind: ResampleKind;
}

/**
 * Takes a frame out of its decoder and reduces it into the shared memory. The frame stays open.
 * @returns how the samples of the result become colours
 * @throws TypeError when the pixel format is not one of those below
 */
export async function reduceFrame(
  frame: VideoFrame,
  reduction: Reduction,
  memory: WebAssembly.Memory,
  kernels: Kernels,
  workspace: Workspace,
): Promise<ColourCoding> {
  const { target, quarters, address, kind } = reduction;
  const width = frame.visibleRect?.width ?? frame.codedWidth;
  const height = frame.visibleRect?.height ?? frame.codedHeight;
  const asItIs =
    frame.format === 'I420' &&
    quarters === 0 &&
    width === target.width &&
    height === target.height &&
    width % 2 === 0;
  if (asItIs) {
    await frame.copyTo(new Uint8Array(memory.buffer, address, planarBytes(width, height)));
    return codingOf(frame);
  }
  const bytes = frame.allocationSize();
  const staging = workspace.pictures;
  const layout = await frame.copyTo(new Uint8Array(memory.buffer, staging, bytes));
  const unpacked = (staging + bytes + 15) & ~15;
  const planes = unpack(frame.format, layout, staging, width, height, unpacked, kernels);
  const upright = quarters % 2 === 0 ? target : { width: target.height, height: target.width };
  const afterPlanes = unpacked + 3 * width * height;
  const result = planarAt(quarters === 0 ? address : afterPlanes, upright.width, upright.height);
  result.forEach((plane, index) => workspace.fit(planes[index]!, plane, kind));
  if (quarters !== 0) {
    const turned = planarAt(address, target.width, target.height);
    result.forEach((plane, index) => {
      kernels.turnPlane(plane.address, turned[index]!.address, plane.width, plane.height, quarters);
    });
  }
  return codingOf(frame);
}

/** Room for pictures that `reduceFrame` needs for a source and a result. */
export function reductionBytes(source: FrameSize, target: FrameSize): number {
  const pixels = (source.width + 64) * (source.height + 64);
  // The frame in up to 16 bits and 4:4:4, its planes in 8 bits, and the upright result before it is turned.
  return 6 * pixels + 3 * pixels + planarBytes(target.width, target.height) + 64;
}

function unpack(
  format: string | null,
  layout: readonly PlaneLayout[],
  base: number,
  width: number,
  height: number,
  free: number,
  kernels: Kernels,
): Planes {
  const at = (index: number, planeWidth: number, planeHeight: number): Plane => ({
    address: base + layout[index]!.offset,
    stride: layout[index]!.stride,
    width: planeWidth,
    height: planeHeight,
  });
  const halfWidth = (width + 1) >> 1;
  const halfHeight = (height + 1) >> 1;
  if (format === 'NV12') {
    const luma = at(0, width, height);
    const pairs = at(1, 2 * halfWidth, halfHeight);
    const count = halfWidth * halfHeight;
    for (let row = 0; row < halfHeight; row++) {
      const to = free + row * halfWidth;
      kernels.splitPairs(pairs.address + row * pairs.stride, to, to + count, halfWidth);
    }
    const half = { stride: halfWidth, width: halfWidth, height: halfHeight };
    return [luma, { ...half, address: free }, { ...half, address: free + count }];
  }
  const match = /^I4(20|22|44)(?:P(10|12))?$/.exec(format ?? '');
  if (!match) {
    throw new TypeError(
      `The browser decodes this clip to the pixel format ${format ?? 'of a closed surface'}, which the preview cannot take. Make a light copy of it.`,
    );
  }
  const chromaWidth = match[1] === '44' ? width : halfWidth;
  const chromaHeight = match[1] === '20' ? halfHeight : height;
  const planes: Planes = [
    at(0, width, height),
    at(1, chromaWidth, chromaHeight),
    at(2, chromaWidth, chromaHeight),
  ];
  const bits = Number(match[2] ?? 8);
  if (bits === 8) return planes;
  let next = free;
  return planes.map((plane) => {
    const narrow = { address: next, stride: plane.width, width: plane.width, height: plane.height };
    next += plane.width * plane.height;
    for (let row = 0; row < plane.height; row++) {
      kernels.narrowTo8(
        plane.address + row * plane.stride,
        narrow.address + row * plane.width,
        plane.width,
        bits,
      );
    }
    return narrow;
  }) as unknown as Planes;
}

function codingOf(frame: VideoFrame): ColourCoding {
  const { matrix, fullRange } = frame.colorSpace;
  if (!matrix) return VIDEO_BT709;
  const known = matrix === 'bt709' ? 'bt709' : matrix.startsWith('bt2020') ? 'bt2020' : 'bt601';
  return { matrix: known, fullRange: fullRange ?? false };
}
