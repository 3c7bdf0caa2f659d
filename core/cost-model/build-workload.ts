import { megapixels } from '../media/index.js';
import { turnedFrames, waitingPictures } from '../pacing/index.js';
import {
  multiplyCosts,
  TURN_BYTES,
  type WorkloadDrive,
  type DecodeSegment,
  type Workload,
} from './workload.js';
import { STAGES } from '../playback/index.js';
import { passagesOf, withoutKinds, type PreviewGraph } from '../render/index.js';
import { toNumber } from '../time/index.js';
import type { FrameSize } from '../timeline/index.js';
import { calibrationOn, decodeFactorOf, factorOf, UNCALIBRATED, type Calibration } from './calibration.js';
import { speedVariabilityOf } from './speed-variability.js';
import { presentMs, showMs } from './cost-model.js';
import type { PlayedMedium } from './medium.js';
import { composingOn, type MemoryShares, type Rig } from '../machine/index.js';
import { picturesFor } from './passage-pictures.js';
import { estimateShow } from './kernel-estimate.js';
import { composeMsOf, estimated, pictureCosts } from './picture-costs.js';

/** A timeline to play: its preview graph, media, memory and drive. */
export interface Work {
  readonly preview: PreviewGraph;
  /** Medium by source; sources without one are not played. */
  readonly media: ReadonlyMap<string, PlayedMedium>;
  readonly shares: MemoryShares;
  /** A simulated drive that everything is read through; null for the drives of the rig. */
  readonly drive: WorkloadDrive | null;
}

/** From the press of play until the first clip is asked for, ms. */
const START_MS = 25;
/** From the request for a clip until its decoder can be fed, ms. */
const OPEN_MS = 12;

/**
 * Lays out what the player does for a stretch of a timeline on a rig, ms by ms. What a rig was not measured for is
 * estimated, and named.
 */
export function buildWorkload(
  { preview, media, shares, drive }: Work,
  rig: Rig,
  calibration: Calibration = UNCALIBRATED,
): Workload & { readonly unmeasured: readonly string[] } {
  const unmeasured = new Set<string>();
  const { played: graph, playSize } = preview;
  const fps = toNumber(graph.rate);
  const drives: WorkloadDrive[] = drive ? [drive] : rig.drives.map(driveOf);
  const driveAt = (name: string): number => {
    const at = drive ? 0 : drives.findIndex((each) => each.name === name);
    return at < 0 ? (drives.length ? 0 : -1) : at;
  };
  const processor = composingOn(rig, preview.composeOn);
  const composing = { composeOn: processor, bypass: preview.bypass };
  const costsOf = pictureCosts(rig, playSize, unmeasured, processor);
  const played = passagesOf(graph).flatMap((passage) => {
    const medium = media.get(passage.sourceId);
    if (!medium) return [];
    const effects = withoutKinds(passage.effects, preview.bypass);
    return [{ passage, medium, ...costsOf(medium, { framing: passage.framing, effects }) }];
  });
  const rasters = [playSize, ...played.map(({ raster }) => raster)];
  const layers = graph.stretches.reduce((most, stretch) => Math.max(most, stretch.layers.length), 1);
  const waiting = waitingOf(rasters, layers, shares.framePoolBytes);
  const segments = played.map(({ passage, medium, decoding, scaleMs, effectsMs }): DecodeSegment => {
    const { clipId, sourceId, from, to, speed } = passage;
    const turned = speed.num < 0 ? turnedFrames(waiting) : undefined;
    const pictures = picturesFor(passage, medium, fps, turned, preview.hold);
    const at = driveAt(medium.drive);
    if (at < 0) unmeasured.add('reading');
    // One by one: spread together, a thousand of them take more than twice as long.
    return {
      clipId,
      sourceId,
      from,
      to,
      decodes: pictures.decodes,
      coldDecodes: pictures.coldDecodes,
      repeats: pictures.repeats,
      entries: pictures.entries,
      bits: pictures.bits,
      coldBits: pictures.coldBits,
      unreferenced: pictures.unreferenced,
      ownBits: pictures.ownBits,
      coding: decoding.coding,
      decodeMs: decoding.decodeMs,
      decodeSpread: decoding.decodeSpread,
      decodeCores: decoding.decodeCores,
      bitShare: decoding.bitShare,
      firstMs: decoding.firstMs,
      restartMs: decoding.restartMs,
      openMs: OPEN_MS,
      bytesPerPicture: medium.bitsPerFrame / 8,
      drive: at,
      scaleMs,
      effectsMs,
      turned,
    };
  });
  const composeMs = new Float32Array(graph.length);
  for (const { from, to, layers: seen } of graph.stretches)
    composeMs.fill(composeMsOf(rig, seen, media, playSize, unmeasured, composing), from, to);
  const isStanding = standingFrames(preview);
  composeMs.forEach((_, frame) => isStanding?.[frame] && (composeMs[frame] = 0));
  const shownPixels = megapixels(playSize);
  const shown =
    showMs(rig, shownPixels, processor) ?? estimated(unmeasured, 'showing', estimateShow(rig, shownPixels));
  const plain: Workload = {
    rate: graph.rate,
    from: 0,
    to: graph.length,
    segments,
    composeMs,
    isStanding,
    showMs: shown,
    presentMs: presentMs(rig, shownPixels) ?? 0,
    cores: rig.machine.cores,
    // What others took while a rig was measured is in its figures; in figures that are given it is not.
    coresOfOthers: rig.thoroughness === 'given' ? rig.machine.loadByOthers * rig.machine.cores : 0,
    decodeWorkers: shares.decodeWorkers,
    slots: layers * waiting,
    drives,
    readAheadBytes: shares.readAheadBytes,
    startMs: START_MS,
  };
  const known = calibrationOn(calibration, processor);
  return { ...applyCalibration(plain, known), unmeasured: [...unmeasured] };
}

/** 1 for each frame that only lets the picture before it stand; undefined where each has a picture of its own. */
function standingFrames({ hold, played }: PreviewGraph): Uint8Array | undefined {
  if (hold === 1) return undefined;
  const isStanding = new Uint8Array(played.length);
  for (const { from, to } of played.stretches)
    for (let frame = from + 1; frame < to; frame++) isStanding[frame] = Number(frame % hold !== 0);
  return isStanding;
}

/**
 * A line with each cost as runs have shown it to be.
 * @param deviations standard deviations by which costs that were estimated are taken to be higher
 */
export function applyCalibration(line: Workload, calibration: Calibration, deviations = 0): Workload {
  if (calibration === UNCALIBRATED) return line;
  const [read, , scale, effects, compose, show] = STAGES.map((stage) => factorOf(calibration, stage)) as [
    ...[number, number, number, number, number, number],
  ];
  const decode = ({ coding, decodeSpread = 0 }: DecodeSegment): number => {
    // The factor of a kind of coding is learned against its estimate, so the estimate's spread no longer applies.
    const isLearned = calibration.codings?.some((known) => known.coding === coding);
    return decodeFactorOf(calibration, coding) * Math.exp(isLearned ? 0 : deviations * decodeSpread);
  };
  return {
    ...multiplyCosts(line, { decode, scale, effects, compose, show }),
    unsteadiness: speedVariabilityOf(calibration.unsteadiness),
    drives: line.drives.map((drive) => ({ ...drive, bytesPerSecond: drive.bytesPerSecond / read })),
  };
}

/** A drive of a rig as readers meet it; what several readers lose together is laid on going elsewhere. */
function driveOf({
  drive,
  readBytesPerSecond,
  readManyBytesPerSecond,
  randomReadMs,
}: Rig['drives'][number]): WorkloadDrive {
  const alone = readBytesPerSecond?.value ?? Infinity;
  const many = Math.min(alone, readManyBytesPerSecond?.value ?? alone);
  const seekMs = Number.isFinite(alone) ? 1000 * TURN_BYTES * (1 / many - 1 / alone) : 0;
  return { name: drive, bytesPerSecond: alone, latencyMs: randomReadMs?.value ?? 0, seekMs };
}

/**
 * Number of frames that may wait to be shown.
 * @param rasters the frame's own, and those in which pictures are made
 */
function waitingOf(rasters: readonly FrameSize[], layers: number, poolBytes: number): number {
  const bytes = ({ width, height }: FrameSize): number => width * height * 1.5;
  const largest = rasters.reduce((most, each) => Math.max(most, bytes(each)), 0);
  return waitingPictures(largest, bytes(rasters[0]!), layers, poolBytes);
}
