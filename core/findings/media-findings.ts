import { cumsum, group, max, sum } from 'd3-array';
import { MAX_FRAME_POOL_BYTES, MAX_READ_AHEAD_BYTES } from '../machine/index.js';
import { FEWEST_WAITING } from '../pacing/index.js';
import { factsIn, unseenParts } from '../render/index.js';
import { toNumber } from '../time/index.js';
import { clipEnd, mergeRanges } from '../timeline/index.js';
import { isOversized, type FindingContext } from './context.js';
import { findingOf, type Finding } from './finding.js';
import type { Window } from './utilisation.js';

/** A source of so many times the timeline's frames a second has more than is needed. */
const FASTER = 1.4;
const LEAST_READ_AHEAD_SECONDS = 0.5;
/** A drive that is used more than this is worth sharing with another. */
const BUSY_DRIVE = 0.6;

/** Findings of the timeline and its media, whether it plays here or not. */
export function mediaFindings(context: FindingContext, windows: readonly Window[]): Finding[] {
  return [
    ...occludedClips(context),
    ...heavySources(context),
    ...unusableCopies(context),
    ...copyDrives(context, windows),
    ...shortMemory(context),
  ];
}

/** Clips of which less than half is ever seen. */
function occludedClips({ situation: { timeline, sources }, prediction }: FindingContext): Finding[] {
  const parts = unseenParts(timeline, prediction.work.preview.graph, factsIn(sources));
  const lengths = new Map(
    timeline.tracks.flatMap(({ clips }) => clips.map((clip) => [clip.id, clip.length])),
  );
  const hidden = [...group(parts, ({ clipId }) => clipId)].flatMap(([clipId, ranges]) =>
    sum(ranges, ({ from, to }) => to - from) > 0.5 * lengths.get(clipId)! ? [ranges] : [],
  );
  if (hidden.length === 0) return [];
  const evidence = { clips: hidden.length, mostLayers: mostClips(timeline) };
  return [findingOf('occluded-clips', evidence, { ranges: mergeRanges(hidden.flat()) })];
}

/** Sources with more frames or pixels than the timeline, where that drops no frame yet. */
function heavySources({ situation, prediction, run }: FindingContext): Finding[] {
  const { timeline, sources } = situation;
  if (prediction.summary.dropped + (run?.summary.dropped ?? 0) > 0) return [];
  const found: Finding[] = [];
  const rate = toNumber(timeline.rate);
  const played = sources.flatMap(({ id, name, facts }) =>
    facts?.picture && prediction.work.media.get(id)?.choice === 'original'
      ? [{ name, size: facts.picture.size, times: toNumber(facts.picture.rate) / rate }]
      : [],
  );
  const fast = played.filter(({ times }) => times > FASTER);
  if (fast.length) {
    const decodedPerShown = Math.max(...fast.map(({ times }) => times));
    const names = fast.map(({ name }) => name);
    found.push(findingOf('rate-mismatch', { sources: names, decodedPerShown }, { stage: 'decode' }));
  }
  const large = played.filter(({ size }) => isOversized(size, timeline.size));
  if (large.length) {
    const names = large.map(({ name }) => name);
    found.push(findingOf('oversized-source', { sources: names }, { stage: 'decode' }));
  }
  return found;
}

function unusableCopies({ situation: { tuning, copies }, prediction: { work } }: FindingContext): Finding[] {
  if (!tuning.lightCopies) return [];
  const bad = copies.filter(
    ({ state, sourceId }) => state !== 'ready' && work.media.get(sourceId)?.choice === 'original',
  );
  const states = [...new Set(bad.map(({ state }) => state))];
  return bad.length
    ? [findingOf('unusable-copies', { copies: bad.length, states }, { stage: 'decode' })]
    : [];
}

/** Copies on a drive that is slower than that of the originals, or that both are read from at once. */
function copyDrives({ situation, prediction }: FindingContext, windows: readonly Window[]): Finding[] {
  const media = [...prediction.work.media.values()];
  const copyDrive = media.find(({ choice }) => choice === 'light copy')?.drive;
  if (copyDrive === undefined || situation.drive) return [];
  const speedOf = (name: string): number | undefined =>
    situation.rig.drives.find(({ drive }) => drive === name)?.readBytesPerSecond?.value;
  const originals = media.filter(({ choice }) => choice === 'original');
  const faster = originals.find(
    ({ drive }) => drive !== copyDrive && (speedOf(copyDrive) ?? Infinity) < (speedOf(drive) ?? 0),
  );
  const copyDriveBytesPerSecond = speedOf(copyDrive);
  if (faster && copyDriveBytesPerSecond !== undefined) {
    const evidence = { copyDrive, mediaDrive: faster.drive, copyDriveBytesPerSecond };
    return [findingOf('slow-copy-drive', evidence, { stage: 'read' })];
  }
  const use = Math.max(0, ...windows.map((window) => window.use.drive));
  const isShared = originals.some(({ drive }) => drive === copyDrive) && use > BUSY_DRIVE;
  return isShared
    ? [findingOf('shared-drive', { drive: copyDrive, usePercent: 100 * use }, { stage: 'read' })]
    : [];
}

function shortMemory({ situation: { timeline }, prediction }: FindingContext): Finding[] {
  const { workload, work } = prediction;
  const layers = Math.max(1, ...work.preview.played.stretches.map((stretch) => stretch.layers.length));
  const heaviest = Math.max(0, ...workload.segments.map((each) => each.bytesPerPicture));
  const ahead = heaviest ? workload.readAheadBytes / heaviest / toNumber(timeline.rate) : Infinity;
  const waitingPictures = workload.slots / layers;
  const { framePoolBytes, readAheadBytes } = work.shares;
  const hasFewPictures = waitingPictures <= FEWEST_WAITING && framePoolBytes < MAX_FRAME_POOL_BYTES;
  const hasShortReadAhead = ahead < LEAST_READ_AHEAD_SECONDS && readAheadBytes < MAX_READ_AHEAD_BYTES;
  return hasFewPictures || hasShortReadAhead
    ? [findingOf('memory', { waitingPictures, readAheadSeconds: Math.min(ahead, 1e6) })]
    : [];
}

/** Most enabled picture clips at once, whether they are seen or not. */
function mostClips({ tracks }: FindingContext['situation']['timeline']): number {
  const clips = tracks
    .filter(({ kind, enabled }) => kind === 'picture' && enabled)
    .flatMap((track) => track.clips.filter(({ enabled }) => enabled));
  const edges = clips.flatMap((clip) => [
    { at: clip.start, step: 1 },
    { at: clipEnd(clip), step: -1 },
  ]);
  edges.sort((a, b) => a.at - b.at || a.step - b.step);
  return max(cumsum(edges, ({ step }) => step)) ?? 0;
}
