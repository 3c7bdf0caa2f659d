import { inputArguments, type MediaInput } from './input.js';

/** Seconds before a frame at which reading begins: seeking may land late, but hardly by so much. */
const LEAD_SECONDS = 3;

/** ffmpeg's arguments to read a frame by its time stamp, for any seeking behaviour of the format. */
export interface FramePick {
  /** The arguments that open the file. The command needs `-copyts`. */
  readonly open: readonly string[];
  /** The filter that drops all frames before it. */
  readonly select: string;
}

/**
 * Reading begins at a key frame well before the frame, and frames are dropped by their stamps. Seeking to the frame
 * itself lands behind it where a group of pictures is open: the pictures that refer to the group before are dropped.
 * @param at time stamp of the frame in seconds, as in the file
 * @param step seconds from the frame before it
 */
export function pickFrame(input: MediaInput, at: number, step: number): FramePick {
  const from = Math.max(0, at - LEAD_SECONDS).toFixed(6);
  return {
    open: ['-seek_timestamp', '1', '-noaccurate_seek', '-ss', from, ...inputArguments(input)],
    select: `select='gte(t,${(at - step / 2).toFixed(6)})'`,
  };
}
