import { group } from 'd3-array';
import { PREROLL_FRAMES } from './rules.js';

/** A part of a clip that is decoded, of a timeline of which not everything can be. Frames count on the timeline. */
export interface DecodeRange {
  readonly clipId: string;
  /** Frames [from, to). */
  readonly from: number;
  readonly to: number;
  /** The playhead at which decoding begins, in frames. */
  readonly beginAt: number;
}

/** What is decoded of a segment in one go. */
export interface DecodePart<T> {
  readonly segment: T;
  readonly from: number;
  readonly to: number;
  /** Undefined where decoding begins as usual (`PrefetchPolicy`). */
  readonly beginAt?: number | undefined;
}

/**
 * What is decoded of segments in one go each, by when decoding begins.
 * @param ranges what was planned; undefined where everything is decoded
 * @param start the first frame that is played: what playing begins with is decoded whatever was planned
 */
export function decodePartsOf<T extends Omit<DecodeRange, 'beginAt'>>(
  segments: readonly T[],
  ranges: readonly DecodeRange[] | undefined,
  start: number,
): DecodePart<T>[] {
  if (!ranges) return segments.map((segment) => ({ segment, from: segment.from, to: segment.to }));
  const byClip = group(ranges, ({ clipId }) => clipId);
  const preroll = { from: start, to: start + PREROLL_FRAMES + 1, beginAt: start };
  return segments
    .flatMap((segment) => {
      const within = (byClip.get(segment.clipId) ?? []).filter((each) => overlap(each, segment));
      const first = within.filter((each) => overlap(each, preroll)).reduce(joined, preroll);
      const later = within.filter((each) => each.from >= first.to);
      return [first, ...later]
        .filter((each) => overlap(each, segment))
        .map(({ from, to, beginAt }) => ({
          segment,
          from: Math.max(from, segment.from),
          to: Math.min(to, segment.to),
          beginAt,
        }));
    })
    .sort((a, b) => a.beginAt - b.beginAt);
}

interface Frames {
  readonly from: number;
  readonly to: number;
}

const overlap = (a: Frames, b: Frames): boolean => a.from < b.to && b.from < a.to;

const joined = <T extends Frames>(one: T, other: Frames): T => ({
  ...one,
  from: Math.min(one.from, other.from),
  to: Math.max(one.to, other.to),
});
