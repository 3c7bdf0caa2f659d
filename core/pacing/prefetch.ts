import { OPEN_AHEAD_SECONDS } from './rules.js';

/** What is decoded while its frames are seen. */
export interface Prefetched {
  /** Timeline frames [from, to). */
  readonly from: number;
  readonly to: number;
}

/** The playhead at which a segment begins to be decoded, in frames. */
export const prefetchAt = ({ from }: Pick<Prefetched, 'from'>, framesPerSecond: number): number =>
  from - OPEN_AHEAD_SECONDS * framesPerSecond;

/**
 * Whether a segment begins to be decoded at a playhead.
 * @param end behind the last frame that is played
 * @returns its first frame that can still be shown; `later` before its time, `over` when no frame is left
 */
export function prefetchFrom(
  segment: Prefetched,
  playhead: number,
  framesPerSecond: number,
  end: number,
): number | 'later' | 'over' {
  if (playhead < prefetchAt(segment, framesPerSecond) || segment.from >= end) return 'later';
  const from = Math.max(segment.from, Math.ceil(playhead - 1e-9));
  return from < segment.to ? from : 'over';
}
