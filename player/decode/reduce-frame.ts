import type { StackedPicture } from '@hone/core/media';
import type { FrameSize } from '@hone/core/timeline';
import type { Kernels } from '../shared/kernels.js';
import {
  alphasAt,
  planarAt,
  planarBytes,
  VIDEO_BT709,
  type ColourCoding,
  type Plane,
  type Planes,
} from '../shared/picture.js';
import type { ResampleKind } from './resample-table.js';
import type { Workspace } from './workspace.js';

/** Steps from a decoded frame to a preview picture. */
export interface Reduction {
  /** Size of the result. */
  readonly target: FrameSize;
  /** Quarter turns clockwise. */
  readonly quarters: number;
  /** Where the result goes. */
  readonly address: number;
  readonly kind: ResampleKind;
  /** Position of colours and alpha in the frame; null without alpha. Alpha is written behind the result. */
  readonly stacked: StackedPicture | null;
}

/** A part of a frame, in pixels, with its edges between chroma samples. */
interface Part {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
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
  const { target, quarters, address, kind, stacked } = reduction;
  const visible = frame.visibleRect ?? { x: 0, y: 0, width: frame.codedWidth, height: frame.codedHeight };
  // A rectangle of the DOM has no properties of its own that could be spread.
  const { x, y } = visible;
  const { width, height } = stacked ?? visible;
  const rect = { x, y, width, height };
  if (stacked)
    await reduceAlpha(frame, { ...rect, y: y + stacked.alphaRow }, reduction, memory, kernels, workspace);
  const asItIs =
    frame.format === 'I420' &&
    quarters === 0 &&
    width === target.width &&
    height === target.height &&
    width % 2 === 0;
  if (asItIs) {
    const whole = new Uint8Array(memory.buffer, address, planarBytes(width, height));
    await frame.copyTo(whole, partOptions(frame, rect));
    return codingOf(frame);
  }
  const { planes, unpacked } = await takeOut(frame, rect, memory, kernels, workspace);
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

/** Reduces the grey picture of the alpha, and writes it behind the result. */
async function reduceAlpha(
  frame: VideoFrame,
  rect: Part,
  { target, address, kind }: Reduction,
  memory: WebAssembly.Memory,
  kernels: Kernels,
  workspace: Workspace,
): Promise<void> {
  const { planes } = await takeOut(frame, rect, memory, kernels, workspace);
  const [alpha, half] = alphasAt(address, target);
  workspace.fit(planes[0], alpha, kind);
  kernels.widenRange(alpha.address, alpha.width * alpha.height);
  kernels.reduceBox(alpha.address, alpha.width, half.address, half.width, half.height, 2);
}

/** Copies a part of a frame into the workspace, as planes of 8 bits. */
async function takeOut(
  frame: VideoFrame,
  rect: Part,
  memory: WebAssembly.Memory,
  kernels: Kernels,
  workspace: Workspace,
): Promise<{ readonly planes: Planes; readonly unpacked: number }> {
  const options = partOptions(frame, rect);
  const bytes = frame.allocationSize(options);
  const staging = workspace.pictures;
  const layout = await frame.copyTo(new Uint8Array(memory.buffer, staging, bytes), options);
  const unpacked = (staging + bytes + 15) & ~15;
  const planes = unpack(frame.format, layout, staging, rect.width, rect.height, unpacked, kernels);
  return { planes, unpacked };
}

// A frame of an odd size can be copied whole, but a part has to end between chroma samples.
const partOptions = ({ visibleRect }: VideoFrame, rect: Part): VideoFrameCopyToOptions =>
  visibleRect?.width === rect.width && visibleRect.height === rect.height ? {} : { rect };

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
  const narrowPlane = (plane: Plane): Plane => {
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
  };
  return [narrowPlane(planes[0]), narrowPlane(planes[1]), narrowPlane(planes[2])];
}

function codingOf(frame: VideoFrame): ColourCoding {
  const { matrix, fullRange } = frame.colorSpace;
  if (!matrix) return VIDEO_BT709;
  const known = matrix === 'bt709' ? 'bt709' : matrix.startsWith('bt2020') ? 'bt2020' : 'bt601';
  return { matrix: known, fullRange: fullRange ?? false };
}
