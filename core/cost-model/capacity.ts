import type { Tuning } from '../levers/index.js';
import { placeable } from '../media/index.js';
import { stageMsOf } from './workload.js';
import { frameBudgetMs, stageRecord, type Stage } from '../playback/index.js';
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

/**
 * The share of the frame budget that each stage takes to play one source alone on a rig, on a timeline of a rate and a
 * size; nothing for a source without a picture.
 */
export function stageLoads(
  rig: Rig,
  source: KnownSource,
  shape: Pick<Timeline, 'rate' | 'size'>,
  tuning: Tuning,
): StageLoads | undefined {
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
  return stageRecord((stage) => {
    const isUnknown = line.unmeasured.some((what) => what.startsWith(UNMEASURED[stage]));
    const ms = stageMsOf(line, stage).reduce((sum, each) => sum + each, 0) / frames;
    return isUnknown ? null : (100 * ms) / frameBudgetMs(line.rate);
  });
}
