import { MAX_FRAME_POOL_BYTES, MAX_READ_AHEAD_BYTES } from '../machine/index.js';
import { FEWEST_WAITING } from '../pacing/index.js';
import { toNumber } from '../time/index.js';
import { clipEnd, mergeRanges, type Clip, type FrameRange } from '../timeline/index.js';
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

function occludedClips({ situation: { timeline }, prediction }: FindingContext): Finding[] {
  const { ranges, clips, mostLayers } = unseenClips(
    enabledPictures(timeline.tracks),
    prediction.workload.segments,
  );
  return ranges.length ? [findingOf('occluded-clips', { clips, mostLayers }, { ranges })] : [];
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

const enabledPictures = (tracks: FindingContext['situation']['timeline']['tracks']): readonly Clip[] =>
  tracks
    .filter(({ kind, enabled }) => kind === 'picture' && enabled)
    .flatMap(({ clips }) => clips.filter(({ enabled }) => enabled));

/** Ranges of clips that are fully covered, and the most pictures of them at once. */
function unseenClips(
  clips: readonly Clip[],
  seen: readonly { readonly clipId: string; readonly from: number; readonly to: number }[],
): { readonly ranges: FrameRange[]; readonly clips: number; readonly mostLayers: number } {
  const shown = new Map<string, FrameRange[]>();
  for (const { clipId, from, to } of seen) shown.set(clipId, [...(shown.get(clipId) ?? []), { from, to }]);
  const hidden = clips.flatMap((clip): FrameRange[] => {
    const parts = mergeRanges(shown.get(clip.id) ?? []);
    const seenFrames = parts.reduce(
      (sum, { from, to }) => sum + Math.min(to, clipEnd(clip)) - Math.max(from, clip.start),
      0,
    );
    return seenFrames < 0.5 * clip.length ? [{ from: clip.start, to: clipEnd(clip) }] : [];
  });
  const edges = clips.flatMap((clip) => [
    { at: clip.start, step: 1 },
    { at: clipEnd(clip), step: -1 },
  ]);
  edges.sort((a, b) => a.at - b.at || a.step - b.step);
  let now = 0;
  let most = 0;
  for (const { step } of edges) {
    now += step;
    most = Math.max(most, now);
  }
  return { ranges: mergeRanges(hidden), clips: hidden.length, mostLayers: most };
}
