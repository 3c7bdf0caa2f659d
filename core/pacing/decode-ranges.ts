import { group } from 'd3-array';
import type { FrameRange } from '../timeline/index.js';
import type { Prefetched } from './prefetch.js';
import { PREROLL_FRAMES } from './rules.js';

/** Frames of a clip that the player decodes, on a timeline that is beyond the machine. */
export interface DecodeRange extends FrameRange {
  readonly clipId: string;
  /** Playhead at which decoding begins, in frames. */
  readonly beginAt: number;
}

/** A part of a segment that one decoder works through. */
export interface DecodePart<Segment> extends Prefetched {
  readonly segment: Segment;
}

/**
 * Splits segments into the parts to decode, by the playhead at which decoding begins.
 * @param ranges undefined decodes every segment as a whole
 * @param start first frame of playback; the preroll is decoded in any case
 */
export function splitByRanges<Segment extends FrameRange & { readonly clipId: string }>(
  segments: readonly Segment[],
  ranges: readonly DecodeRange[] | undefined,
  start: number,
): DecodePart<Segment>[] {
  if (!ranges) return segments.map((segment) => ({ segment, from: segment.from, to: segment.to }));
  const rangesByClip = group(ranges, ({ clipId }) => clipId);
  const preroll = { from: start, to: start + PREROLL_FRAMES + 1, beginAt: start };
  return segments
    .flatMap((segment) => {
      const own = (rangesByClip.get(segment.clipId) ?? []).filter((each) => isOverlapping(each, segment));
      const first = own.filter((each) => isOverlapping(each, preroll)).reduce(unite, preroll);
      const later = own.filter((each) => each.from >= first.to);
      return [first, ...later]
        .filter((each) => isOverlapping(each, segment))
        .map(({ from, to, beginAt }) => ({
          segment,
          from: Math.max(from, segment.from),
          to: Math.min(to, segment.to),
          beginAt,
        }));
    })
    .sort((a, b) => a.beginAt - b.beginAt);
}

const isOverlapping = (a: FrameRange, b: FrameRange): boolean => a.from < b.to && b.from < a.to;

const unite = <T extends FrameRange>(one: T, other: FrameRange): T => ({
  ...one,
  from: Math.min(one.from, other.from),
  to: Math.max(one.to, other.to),
});
