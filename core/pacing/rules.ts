/**
 * How the player keeps time. The state machines in this folder keep these rules; the
 * player's workers and the simulation both drive them.
 *
 * 1. Sound is the clock. It never waits for the picture.
 * 2. A frame may be shown from its due time until the next frame is due. One that is not ready by then is dropped, and
 *    one that cannot be, by what the last pictures took, is not begun (`FrameTimeEstimator`).
 * 3. A decoder that falls behind continues decoding, without scaling late pictures. Where it would never catch up, or only
 *    after a key frame that it can reach in time, it continues at that key frame (`ResyncPolicy`).
 * 4. Playing begins when the first frame and `PREROLL_FRAMES` more are ready, or `PREROLL_LIMIT_MS` after the first
 *    is.
 * 5. An unreferenced picture is not decoded where it is not shown, or would be late (`NonReferenceSkipping`).
 * 6. A clip begins to be decoded `OPEN_AHEAD_SECONDS` before its first frame is due, one after the other (`PrefetchPolicy`);
 *    buffers go where they are needed for the earliest frame (`neediestStream`).
 * 7. On a timeline beyond the machine, the player decodes the planned ranges only, each from its planned playhead on
 *    (`splitByRanges`).
 * 8. Backwards, runs of frames are decoded forwards; one that would be late begins further on, where it is in time
 *    (`ReversedRuns`).
 * 9. A picture that was shown is kept while its memory is not needed, and is not decoded again by later runs; decoding goes on
 *    over a few kept pictures, and ends before a long row of them (`endOfMissing`).
 * 10. Where only every second frame is played, a picture stands for two frames (`heldFrame`).
 */
export const PREROLL_FRAMES = 5;
export const PREROLL_LIMIT_MS = 400;
/** Time before its first frame is due at which a clip begins to be decoded. */
export const OPEN_AHEAD_SECONDS = 1.5;

/** Pictures between the file and the consumer of a decoder. */
export const IN_FLIGHT = 8;
/** Number of pictures left in flight at which a resting decoder is fed again. */
export const REFILL_AT = 4;

/** Cost of starting the server's decoder, in seconds of the source: a jump must gain more. */
export const RESTART_SECONDS = 1;

const MOST_WAITING = 24;
/** Least number of pictures that may wait, also beyond the memory for them. */
export const FEWEST_WAITING = 8;
const FEWEST_LARGE = 4;

/**
 * Number of frames that may wait to be shown.
 * @param pictureBytes of the largest preview picture
 * @param frameBytes of a picture of the frame's size
 * @param layers largest number of pictures in a frame
 * @param poolBytes memory of all waiting pictures
 */
export function waitingPictures(
  pictureBytes: number,
  frameBytes: number,
  layers: number,
  poolBytes: number,
): number {
  // Pictures much larger than the frame get fewer buffers.
  const fewest = pictureBytes > 2 * frameBytes ? FEWEST_LARGE : FEWEST_WAITING;
  return Math.min(MOST_WAITING, Math.max(fewest, Math.floor(poolBytes / layers / pictureBytes)));
}

/**
 * Frames of a run of backwards playback, which decodes from its key frame: one run is made while the one before is shown.
 * @param waiting number of frames that may wait to be shown
 */
export const turnedFrames = (waiting: number): number => Math.max(1, Math.floor(waiting / 2));

/** Rule 2: whether a frame is late at a playhead, in frames and fractions. */
export function isTooLate(frame: number, playhead: number): boolean {
  return playhead >= frame + 1;
}

/**
 * The frame whose picture stands at a frame.
 * @param hold frames that a picture stands for
 * @param first of a clip: its frames show nothing from before it, but a transition may
 */
export function heldFrame(frame: number, hold: number, first = 0): number {
  const held = frame - (frame % hold);
  return held < first && first <= frame ? first : held;
}

/** The frame that a playhead shows. */
export function frameAtPlayhead(playhead: number): number {
  return Math.floor(playhead + 1e-6);
}
