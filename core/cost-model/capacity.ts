import { sum } from 'd3-array';
import type { Tuning } from '../levers/index.js';
import { placeable } from '../media/index.js';
import { stageMsOf } from './workload.js';
import { frameBudgetMs, stageRecord, STAGES, type Stage } from '../playback/index.js';
import { soloTimeline, type Timeline } from '../timeline/index.js';
import { UNCALIBRATED } from './calibration.js';
import { buildWorkload } from './build-workload.js';
import { memoryShares, usualCeiling, type Rig } from '../machine/index.js';
import { workOf, type KnownSource } from './situation.js';

/** Share of the frame budget that a stage takes, per cent; null where the rig was not measured for it. */
export type StageLoads = Readonly<Record<Stage, number | null>>;

/** Names of unmeasured figures of a rig, by stage. */
const UNMEASURED: Readonly<Record<Stage, string>> = {
  read: 'reading',
  decode: 'decoding',
  scale: 'scaling',
  effects: 'the effect',
  compose: 'composing',
  show: 'showing',
};

/** Share of the frame budget that each stage takes to play one source alone, per cent. */
export interface SoloLoads {
  readonly percent: Readonly<Record<Stage, number>>;
  /** Stages that the rig was not measured for; their loads are estimates. */
  readonly estimated: readonly Stage[];
  /** Cores that its decoder keeps busy. */
  readonly decodeCores: number;
}

/**
 * The share of the frame budget that each stage takes to play one source alone on a rig, on a timeline of a rate and a
 * size; nothing for a source without a picture.
 */
export function soloLoads(
  rig: Rig,
  source: KnownSource,
  shape: Pick<Timeline, 'rate' | 'size'>,
  tuning: Tuning,
): SoloLoads | undefined {
  if (!source.facts?.picture) return undefined;
  const work = workOf({
    timeline: soloTimeline(placeable(source.id, source.name, source.facts), shape),
    tuning: { ...tuning, lightCopies: false },
    sources: [source],
    copies: [],
    rig,
    shares: memoryShares(usualCeiling(rig.machine.memoryBytes), rig.machine.cores),
    drive: null,
    calibration: UNCALIBRATED,
  });
  const line = buildWorkload(work, rig, rig.calibration);
  const frames = Math.max(1, line.to - line.from);
  return {
    percent: stageRecord((stage) => (100 * sum(stageMsOf(line, stage))) / frames / frameBudgetMs(line.rate)),
    estimated: STAGES.filter((stage) => line.unmeasured.some((what) => what.startsWith(UNMEASURED[stage]))),
    decodeCores: line.segments[0]?.decodeCores ?? 1,
  };
}

/** Loads as far as a rig was measured for them. */
export const measuredLoads = ({ percent, estimated }: SoloLoads): StageLoads =>
  stageRecord((stage) => (estimated.includes(stage) ? null : percent[stage]));
