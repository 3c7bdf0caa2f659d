import {
  clipEnd,
  fittingTransitions,
  mergeRanges,
  removeClips,
  splitAt,
  type Clip,
  type FrameRange,
  type NewId,
  type Timeline,
  type Track,
} from '../../timeline/index.js';
import { effectsDone } from '../effects/index.js';
import type { FactsOf } from './facts-of.js';
import type { RenderGraph } from './graph.js';

/** Frames of a picture clip that nobody sees: others cover them, or they are transparent or outside the frame. */
export interface UnseenPart extends FrameRange {
  readonly clipId: string;
  readonly clipName: string;
  readonly trackName: string;
}

/**
 * Parts of enabled clips that are in no frame of a graph, and can go without a change of any frame: transitions stay
 * whole, and the timeline as long as it is.
 * Clips whose source is not known are not counted.
 * @param graph of the timeline
 * @returns by track, in order
 */
export function unseenParts(timeline: Timeline, graph: RenderGraph, factsOf: FactsOf): UnseenPart[] {
  const seen = new Map<string, FrameRange[]>();
  for (const { from, to, layers } of graph.stretches)
    for (const { clipId } of layers) seen.set(clipId, [...(seen.get(clipId) ?? []), { from, to }]);
  const parts = timeline.tracks
    .filter(({ kind, enabled }) => kind === 'picture' && enabled)
    .flatMap((track) =>
      track.clips
        .filter((clip) => clip.enabled && factsOf(clip.sourceId)?.picture)
        .flatMap((clip) => {
          const needed = mergeRanges([...(seen.get(clip.id) ?? []), ...transitionsOf(track, clip)]);
          return gapsIn(clip, needed)
            .filter(({ to }) => to === clipEnd(clip) || !isCountedFromStart(clip))
            .map((range) => ({ ...range, clipId: clip.id, clipName: clip.name, trackName: track.name }));
        }),
    );
  // Black frames at the end are part of the export: something has to reach it.
  const atEnd = new Set(parts.filter(({ to }) => to === graph.length).map(({ clipId }) => clipId));
  const reachEnd = timeline.tracks
    .flatMap(({ clips }) => clips)
    .filter((clip) => clipEnd(clip) === graph.length);
  return reachEnd.some(({ id }) => !atEnd.has(id)) ? parts : parts.filter(({ to }) => to !== graph.length);
}

/** Frames of the transitions that a clip takes part in. */
const transitionsOf = (track: Track, clip: Clip): FrameRange[] =>
  fittingTransitions(track)
    .filter(({ at }) => at === clip.start || at === clipEnd(clip))
    .map(({ at, before, after }) => ({ from: at - before, to: at + after }));

/** Whether later frames would look otherwise if earlier ones went: grain is another one in each frame of a clip. */
const isCountedFromStart = ({ effects }: Clip): boolean =>
  effectsDone(effects).some(({ kind }) => kind === 'grain');

/** Parts of a clip outside ascending ranges. */
function gapsIn(clip: Clip, ranges: readonly FrameRange[]): FrameRange[] {
  const gaps: FrameRange[] = [];
  let from = clip.start;
  for (const range of [...ranges, { from: clipEnd(clip), to: clipEnd(clip) }]) {
    const to = Math.min(range.from, clipEnd(clip));
    if (from < to) gaps.push({ from, to });
    from = Math.max(from, range.to);
  }
  return gaps;
}

/** Removes parts of clips and leaves gaps. @param parts as `unseenParts` lists them */
export function trimParts(timeline: Timeline, parts: readonly UnseenPart[], newId: NewId): Timeline {
  // From the last to the first: what is in front of a split keeps its identifier.
  return parts.toReversed().reduce((line, { clipId, from, to }) => {
    const without = splitAt(splitAt(line, to, new Set([clipId]), newId), from, new Set([clipId]), newId);
    const track = without.tracks.find(({ clips }) => clips.some(({ id }) => id === clipId));
    const gone = track?.clips.find(({ start }) => start === from);
    return gone ? removeClips(without, new Set([gone.id]), false) : line;
  }, timeline);
}
