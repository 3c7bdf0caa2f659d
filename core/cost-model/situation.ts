import type { Tuning } from '../levers/index.js';
import type { PacketIndex } from '../media/index.js';
import type { WorkloadDrive } from './workload.js';
import { chosenCopies, factsIn, previewGraph, type ChoosableCopy } from '../render/index.js';
import { cachedSourceId, withCached, type CachedStretch, type StampedSource } from '../cache/index.js';
import type { DecodeRange, KeptRange } from '../pacing/index.js';
import type { Timeline } from '../timeline/index.js';
import type { Calibration } from './calibration.js';
import type { Work } from './build-workload.js';
import {
  cachedMedium,
  playedMedium,
  type PlayableCopy,
  type PlayableSource,
  type PlayedMedium,
} from './medium.js';
import type { MemoryShares, Rig } from '../machine/index.js';

export interface KnownSource extends PlayableSource, StampedSource {
  readonly state: string;
}

export interface KnownCopy extends PlayableCopy, ChoosableCopy {
  readonly id: string;
}

/** Inputs of a prediction. */
export interface Situation {
  readonly timeline: Timeline;
  readonly tuning: Tuning;
  readonly sources: readonly KnownSource[];
  readonly copies: readonly KnownCopy[];
  /** Frames rendered in advance, of any timeline; none when absent. */
  readonly stretches?: readonly CachedStretch[] | undefined;
  /** Packet indexes by source, as far as they were read. */
  readonly indexes?: ReadonlyMap<string, PacketIndex> | undefined;
  readonly rig: Rig;
  readonly shares: MemoryShares;
  /** A simulated drive that everything is read through. */
  readonly drive: WorkloadDrive | null;
  readonly calibration: Calibration;
  /** Frames that the player decodes: everything, or the ranges of a run; absent where `planDecoding` decides. */
  readonly decoding?: 'everything' | readonly DecodeRange[] | undefined;
  /** Pictures that are in memory when play is pressed; none when absent. */
  readonly kept?: readonly KeptRange[] | undefined;
}

/** Preview of a timeline: the origin of each picture, and its size. */
export function workOf(situation: Situation): Work {
  const { timeline, tuning, sources, copies, stretches = [], indexes, rig, shares, drive } = situation;
  const known = new Map(sources.map((source) => [source.id, source]));
  const chosen = chosenCopies(timeline, tuning, sources, copies);
  const live = previewGraph(timeline, tuning, factsIn(sources), (id) => chosen.get(id)?.id);
  const preview = withCached(live, tuning, sources, stretches);
  const driveWith = (kept: string): string | undefined =>
    rig.drives.find(({ holds }) => holds.includes(kept))?.drive;
  const copyDrive = driveWith('light copies') ?? '';
  // Rigs from before it had a folder of its own do not name it.
  const cacheDrive = driveWith('render cache') ?? copyDrive;
  const media = new Map<string, PlayedMedium>();
  for (const [id, choice] of Object.entries(preview.media)) {
    const source = known.get(id);
    const copy = choice.kind === 'light copy' ? chosen.get(id) : undefined;
    if (!source || (!copy && source.state !== 'ready')) continue;
    const medium = playedMedium(source, copy, copyDrive, indexes?.get(id), rig, tuning.decodePaths);
    if (medium) media.set(id, medium);
  }
  for (const stretch of stretches)
    if (preview.cached.some(({ stretchId }) => stretchId === stretch.id))
      media.set(cachedSourceId(stretch.id), cachedMedium(stretch, cacheDrive, rig, tuning.decodePaths));
  return { preview, media, shares, drive };
}
