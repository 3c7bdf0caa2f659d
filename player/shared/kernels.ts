import type { RecodeCoefficients } from './picture.js';

/** The functions of kernels.wasm; see player/kernels for what each does. Addresses are bytes in the memory. */
export interface Kernels {
  reduceBox(
    source: number,
    stride: number,
    target: number,
    width: number,
    height: number,
    divisor: number,
  ): void;
  resamplePlane(
    source: number,
    stride: number,
    sourceWidth: number,
    target: number,
    width: number,
    height: number,
    rows: number,
    rowEntry: number,
    columns: number,
    columnEntry: number,
    work: number,
  ): void;
  toRgba(
    luma: number,
    blue: number,
    red: number,
    target: number,
    width: number,
    height: number,
    lumaOffset: number,
    lumaGain: number,
    redFromV: number,
    greenFromU: number,
    greenFromV: number,
    blueFromU: number,
  ): void;
  splitPairs(source: number, first: number, second: number, count: number): void;
  narrowTo8(source: number, target: number, count: number, bits: number): void;
  mixPlane(first: number, second: number, target: number, count: number, share: number): void;
  turnPlane(source: number, target: number, width: number, height: number, quarters: number): void;
  colourPicture(luma: number, blue: number, red: number, width: number, height: number, table: number): void;
  blurPlane(
    source: number,
    target: number,
    width: number,
    height: number,
    share: number,
    border: number,
    scale: number,
    work: number,
  ): void;
  recodePicture(
    luma: number,
    blue: number,
    red: number,
    width: number,
    height: number,
    ...coefficients: RecodeCoefficients
  ): void;
  sharpenPlane(plane: number, soft: number, count: number, amount: number): void;
  blendPlane(
    below: number,
    belowStride: number,
    above: number,
    aboveStride: number,
    alpha: number,
    alphaStride: number,
    width: number,
    height: number,
    gain: number,
  ): void;
  coverPlane(below: number, value: number, alpha: number, count: number, gain: number): void;
  shapeAlpha(target: number, width: number, height: number, shapes: number, count: number): void;
  warpPlane(
    source: number,
    sourceWidth: number,
    sourceHeight: number,
    target: number,
    width: number,
    height: number,
    a: number,
    b: number,
    c: number,
    d: number,
    e: number,
    f: number,
    outside: number,
  ): void;
  weightPlane(plane: number, alpha: number, count: number, middle: number): void;
  unweightPlane(plane: number, alpha: number, count: number, middle: number): void;
  widenRange(plane: number, count: number): void;
  multiplyAlpha(first: number, second: number, target: number, count: number): void;
  unionAlpha(alpha: number, above: number, gain: number, share: number, count: number): void;
  grainPlane(plane: number, width: number, height: number, tile: number, across: number, down: number): void;
}

/** Bytes of a page of WebAssembly memory. */
export const PAGE = 65_536;
/** The first page belongs to the kernels' own data. */
export const FIRST_FREE = 65_536;

/** Memory that all workers of a player share. It grows as the preview does, at most to two gigabytes. */
export function createMemory(): WebAssembly.Memory {
  return new WebAssembly.Memory({ initial: 2, maximum: 32_768, shared: true });
}

/** @param wasm bytes of kernels.wasm */
export async function loadKernels(wasm: BufferSource, memory: WebAssembly.Memory): Promise<Kernels> {
  const { instance } = await WebAssembly.instantiate(wasm, { env: { memory } });
  return instance.exports as WebAssembly.Exports & Kernels;
}
