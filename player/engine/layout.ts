import { fitPlacement, type PreviewGraph } from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import type { PreviewPlan } from '../plan.js';
import { reductionBytes } from '../decode/reduce-frame.js';
import { Workspace } from '../decode/workspace.js';
import { FIRST_FREE, PAGE } from '../shared/kernels.js';
import { planarBytes } from '../shared/picture.js';

/** Where everything stands in the shared memory. Addresses are bytes. */
export interface Layout {
  readonly playSlots: readonly number[];
  readonly restSlots: readonly number[];
  readonly composed: number;
  /** Two more frames, for what gives way to something else. */
  readonly mixing: readonly [number, number];
  readonly colours: number;
  readonly workspaces: readonly { readonly address: number; readonly bytes: number }[];
  readonly totalBytes: number;
}

const MOST_WAITING = 24;
const FEWEST_WAITING = 8;

const aligned = (bytes: number): number => (bytes + 63) & ~63;

/**
 * @param decoders number of decode workers
 * @param poolBytes most memory that the pictures waiting to be shown may take
 */
export function layoutFor(plan: PreviewPlan, decoders: number, poolBytes: number): Layout {
  const { preview } = plan;
  let next = FIRST_FREE;
  const take = (bytes: number): number => {
    const address = next;
    next += aligned(bytes);
    return address;
  };
  const layers = Math.max(1, ...preview.graph.stretches.map((stretch) => stretch.layers.length));
  const bytesOf = (size: FrameSize): number => planarBytes(size.width, size.height);
  const playBytes = bytesOf(preview.playSize);
  const playCount = Math.min(
    MOST_WAITING,
    Math.max(FEWEST_WAITING, Math.floor(poolBytes / layers / playBytes)),
  );
  const largest = Math.max(playBytes, bytesOf(preview.restSize));
  const pixels = (size: FrameSize): number => size.width * size.height;
  const mostPixels = Math.max(pixels(preview.playSize), pixels(preview.restSize));

  const playSlots = Array.from({ length: playCount * layers }, () => take(playBytes));
  const restSlots = Array.from({ length: 2 * layers }, () => take(bytesOf(preview.restSize)));
  const composed = take(largest);
  const mixes = preview.graph.stretches.some((stretch) => stretch.layers.some(({ mix }) => mix !== null));
  const mixing = [take(mixes ? largest : 0), take(mixes ? largest : 0)] as const;
  const colours = take(4 * mostPixels);
  const workBytes = Workspace.bytesFor(largestReduction(plan, preview));
  const workspaces = Array.from({ length: decoders }, () => ({ address: take(workBytes), bytes: workBytes }));
  return { playSlots, restSlots, composed, mixing, colours, workspaces, totalBytes: next };
}

function largestReduction(plan: PreviewPlan, preview: PreviewGraph): number {
  const needs = Object.values(plan.pictures).flatMap((file) =>
    [preview.playSize, preview.restSize].map((frame) =>
      reductionBytes(file.size, fitPlacement(file.shownSize, frame)),
    ),
  );
  return Math.max(1 << 20, ...needs);
}

/** Grows the memory to hold a layout. @throws RangeError when the machine cannot give that much */
export function makeRoom(memory: WebAssembly.Memory, layout: Layout): void {
  const missing = layout.totalBytes - memory.buffer.byteLength;
  if (missing <= 0) return;
  try {
    memory.grow(Math.ceil(missing / PAGE));
  } catch {
    const megabytes = Math.ceil(layout.totalBytes / 1e6);
    throw new RangeError(
      `The preview needs ${megabytes} MB of memory, which the browser refused. Choose a smaller preview scale.`,
    );
  }
}
