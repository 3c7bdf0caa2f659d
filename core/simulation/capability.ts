import { sum } from 'd3-array';
import {
  measuredLoads,
  soloLoads,
  UNCALIBRATED,
  type KnownSource,
  type SoloLoads,
  type StageLoads,
} from '../cost-model/index.js';
import type { Tuning } from '../levers/index.js';
import { memoryShares, usualCeiling, type Rig } from '../machine/index.js';
import { placeable } from '../media/index.js';
import {
  isRealTime,
  limitingStageOf,
  STAGE_THREADS,
  STAGES,
  type PacingSummary,
  type Stage,
} from '../playback/index.js';
import { toNumber } from '../time/index.js';
import { soloTimeline, type Clip, type Timeline } from '../timeline/index.js';
import { predict } from './prediction.js';

/** Layers of a source that are tried at the most. */
export const MOST_LAYERS = 4;
/** Length of the timelines that are tried, seconds: some groups of pictures of most sources. */
const TRIED_SECONDS = 6;
/** Per cent of each layer, so that all below are decoded. */
const OPACITY = 60;

/** What a rig plays of one source. */
export interface Capability {
  readonly sourceId: string;
  /** Of one layer. */
  readonly loads: StageLoads;
  /** Whether the rig was not measured for all of it, so that it is partly estimated. */
  readonly isEstimated: boolean;
  /** The stage that holds it up; null where none takes any time. */
  readonly limiting: Stage | null;
  /** Most frames a second of one layer by its mean costs, whatever the rate of the timeline. */
  readonly framesPerSecond: number;
  /** Share of the frames of one layer that is dropped at the rate of the timeline, 0 to 1: not all frames cost the mean. */
  readonly droppedShare: number;
  /** Number of layers over each other that play in real time, `MOST_LAYERS` at the most; 0 where one does not. */
  readonly layers: number;
}

/**
 * What a rig plays of one source without light copies and effects: predicted for one layer, for two, and so on.
 * @returns undefined for a source without a picture
 */
export function capabilityOf(
  rig: Rig,
  source: KnownSource,
  shape: Pick<Timeline, 'rate' | 'size'>,
  tuning: Tuning,
): Capability | undefined {
  const loads = soloLoads(rig, source, shape, tuning);
  const rate = toNumber(shape.rate);
  const solo = source.facts && soloTimeline(placeable(source.id, source.name, source.facts), shape);
  if (!loads || !solo) return undefined;
  const played = (count: number): PacingSummary =>
    predict({
      timeline: layered(solo, count, Math.round(TRIED_SECONDS * rate)),
      tuning: { ...tuning, lightCopies: false },
      sources: [source],
      copies: [],
      rig,
      shares: memoryShares(usualCeiling(rig.machine.memoryBytes), rig.machine.cores),
      drive: null,
      calibration: rig.calibration ?? UNCALIBRATED,
      decoding: 'everything',
    }).summary;
  const alone = played(1);
  let layers = isRealTime(alone) ? 1 : 0;
  while (layers > 0 && layers < MOST_LAYERS && isRealTime(played(layers + 1))) layers++;
  return {
    sourceId: source.id,
    loads: measuredLoads(loads),
    isEstimated: loads.estimated.length > 0,
    limiting: limitingStageOf((stage) => loads.percent[stage]) ?? null,
    framesPerSecond: (100 * rate) / highestLoad(loads, rig.machine.cores),
    droppedShare: alone.dropped / Math.max(1, alone.wanted),
    layers,
  };
}

/** Load of the busiest thread, or of all cores where that is higher, per cent. */
function highestLoad({ percent, decodeCores }: SoloLoads, cores: number): number {
  // A drive reads while all cores work.
  const usedCores = (stage: Stage): number => (stage === 'read' ? 0 : stage === 'decode' ? decodeCores : 1);
  const onCores = sum(STAGES, (stage) => usedCores(stage) * percent[stage]) / Math.max(1, cores);
  return Math.max(onCores, ...STAGE_THREADS.map((thread) => sum(thread, (stage) => percent[stage])));
}

/** The beginning of a timeline of one clip, with as many translucent layers of it. */
function layered(solo: Timeline, count: number, frames: number): Timeline {
  const pictures = solo.tracks.filter(({ kind, clips }) => kind === 'picture' && clips.length > 0);
  const through = { id: 'through', kind: 'transform', enabled: true, values: { opacity: OPACITY } };
  const tracks = Array.from({ length: count }, (_, layer) =>
    pictures.map((track) => ({
      ...track,
      id: `${track.id} ${layer}`,
      clips: track.clips.map((clip): Clip => ({
        ...clip,
        id: `${clip.id} ${layer}`,
        length: Math.min(clip.length, frames),
        ...(layer > 0 ? { effects: [through] } : {}),
      })),
    })),
  ).flat();
  return { ...solo, tracks };
}
