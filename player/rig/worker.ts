import { expose } from 'comlink';
import type { FrameSize } from '@hone/core/timeline';
import { createMemory, loadKernels } from '../shared/kernels.js';
import { decodeTimes } from './decode-times.js';
import { graphicsTimes } from './graphics-times.js';
import { readTimes } from './read-times.js';
import { KernelBench } from './kernel-times.js';
import { workFor } from './presentation.js';
import type { ComposingTimes, DecodeTimes, GraphicsTimes, KernelTimes, ShowTimes } from './times.js';

let bench: KernelBench | undefined;
let canvas: OffscreenCanvas | undefined;

/** Measurements of the rig's worker. Those of kernels need `init` first. */
const rig = {
  async init(wasm: ArrayBuffer): Promise<void> {
    const memory = createMemory();
    bench = new KernelBench(await loadKernels(wasm, memory), memory);
  },
  kernels: (rounds: number): Promise<readonly KernelTimes[]> => bench!.kernelTimes(rounds),
  /** Shows pictures on a canvas of the page from now on. */
  showOn(seen: OffscreenCanvas): void {
    canvas = seen;
  },
  shows: (sizes: readonly FrameSize[], rounds: number): Promise<readonly ShowTimes[]> =>
    bench!.showTimes(sizes, rounds, canvas),
  graphicsComposing: (sizes: readonly FrameSize[], rounds: number): Promise<ComposingTimes | null> =>
    bench!.graphicsComposing(sizes, rounds, canvas),
  /** @returns pictures that were shown in some ms, on the canvas or nowhere */
  showing: (size: FrameSize, ms: number, seen: boolean): Promise<number> =>
    bench!.keepShowing(size, ms, seen ? canvas : undefined),
  /** @returns pieces of work that were done in some ms */
  work: (ms: number): number => workFor(ms),
  decode: (...about: Parameters<typeof decodeTimes>): Promise<DecodeTimes> => decodeTimes(...about),
  read: (...about: Parameters<typeof readTimes>): Promise<DecodeTimes> => readTimes(...about),
  graphics: (rounds: number): GraphicsTimes => graphicsTimes(rounds),
};

export type RigWorker = typeof rig;

expose(rig);
