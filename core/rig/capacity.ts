import type { Stage } from '../playback/index.js';
import { decodeMs, kernelMs, readMs, showMs, type DecodeLoad } from './cost-model.js';
import type { Rig } from './rig.js';

/** A picture that a rig is asked to play. */
export interface Workload extends DecodeLoad {
  readonly drive: string;
  /** Read for one frame of the timeline. */
  readonly bytesPerFrame: number;
  /** Pictures that are decoded for one frame of the timeline. */
  readonly decodedPerFrame: number;
  /** Divisor of the preview. */
  readonly scale: number;
  readonly framesPerSecond: number;
}

/** What a stage would take of the frame budget, per cent; null where the rig was not measured for it. */
export type StageLoads = Readonly<Record<Stage, number | null>>;

/** Name of the kernel that reduces by a divisor; the rig measures each. */
export const scaleKernel = (scale: number): string => (scale === 1 ? 'copy' : `reduce 1:${scale}`);

const times = (ms: number | undefined, count: number): number | undefined =>
  ms === undefined ? undefined : ms * count;

/** The share of the frame budget that each stage takes to play one picture on a rig. */
export function stageLoads(rig: Rig, work: Workload): StageLoads {
  const budgetMs = 1000 / work.framesPerSecond;
  const drive = rig.drives.find((each) => each.drive === work.drive) ?? rig.drives[0];
  const preview = work.megapixels / work.scale ** 2;
  const percent = (ms: number | undefined): number | null =>
    ms === undefined ? null : (100 * ms) / budgetMs;
  return {
    read: percent(drive && readMs(drive, work.bytesPerFrame)),
    decode: percent(times(decodeMs(rig, work), work.decodedPerFrame)),
    scale: percent(kernelMs(rig, scaleKernel(work.scale), work.megapixels)),
    effects: 0,
    compose: percent(kernelMs(rig, 'compose two', preview)),
    show: percent(showMs(rig, preview)),
  };
}
