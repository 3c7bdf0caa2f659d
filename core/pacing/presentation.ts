import { frameAtPlayhead } from './rules.js';

/**
 * Rule 2 of pacing, for the picture on the screen: whether the frame at a playhead is shown now.
 * - `end`: all frames are over
 * - `show`: it is ready and was not shown
 * - `hold`: the picture on the screen stays; the frames before it that were not shown are dropped
 * @param playhead in frames; may be between two
 * @param shown frame on the screen
 * @param end behind the last frame
 */
export function presentationAt(
  playhead: number,
  shown: number,
  end: number,
  isReady: (frame: number) => boolean,
): 'end' | 'show' | 'hold' {
  const frame = frameAtPlayhead(playhead);
  if (frame >= end) return 'end';
  return frame !== shown && isReady(frame) ? 'show' : 'hold';
}
