/**
 * How the player keeps time. The same rules drive the player and its simulation.
 *
 * 1. Sound is the clock. It never waits for the picture.
 * 2. A frame may be shown from its due time until the next frame is due. One that is not ready by then is dropped.
 * 3. A decoder that falls behind goes on decoding, without scaling what is already too late. When it is more than
 *    `RESYNC_BEHIND_SECONDS` behind, it goes on at the first key frame that is not yet due, if its clip has one.
 * 4. Playing begins when the first frame and `PREROLL_FRAMES` more are ready, or `PREROLL_LIMIT_MS` after the first
 *    is.
 */
export const RESYNC_BEHIND_SECONDS = 0.2;
export const PREROLL_FRAMES = 5;
export const PREROLL_LIMIT_MS = 400;
/** How long before its first frame is due a clip begins to be decoded. */
export const OPEN_AHEAD_SECONDS = 1.5;

/** Rule 2: whether a frame is too late at a playhead, which counts in frames and may stand between two. */
export function isTooLate(frame: number, playhead: number): boolean {
  return playhead >= frame + 1;
}

/** The frame that a playhead shows. */
export function frameAtPlayhead(playhead: number): number {
  return Math.floor(playhead + 1e-6);
}

/**
 * Rule 3: where a decoder goes on.
 * @param next timeline frame that comes out of the decoder next
 * @param playhead in frames
 * @param framesPerSecond of the timeline
 * @param keyFrames timeline frames, ascending, at which the clip can be entered
 * @returns a key frame's timeline frame, or undefined to go on decoding
 */
export function resyncTarget(
  next: number,
  playhead: number,
  framesPerSecond: number,
  keyFrames: readonly number[],
): number | undefined {
  if (playhead - next <= RESYNC_BEHIND_SECONDS * framesPerSecond) return undefined;
  return keyFrames.find((frame) => frame > playhead && frame > next);
}
