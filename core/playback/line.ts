import type { Rational } from '../time/index.js';

/** What the player does for one clip while it is seen without a break. Frames count on the timeline. */
export interface LinePassage {
  readonly clipId: string;
  readonly sourceId: string;
  readonly from: number;
  /** Behind its last frame. */
  readonly to: number;
  /**
   * Pictures that are decoded for each of its frames when it goes on from the frame before; 0 where the picture before
   * is shown again.
   */
  readonly decodes: Uint16Array;
  /** Pictures that are decoded for each of its frames when it is the first. */
  readonly coldDecodes: Uint16Array;
  /** Frames at which decoding can begin anew, with one picture, ascending. */
  readonly entries: Int32Array;
  /** Of one picture alone on the machine, and the cores that it takes meanwhile. */
  readonly decodeMs: number;
  readonly decodeCores: number;
  readonly bytesPerPicture: number;
  /** Place of its drive in the line's drives. */
  readonly drive: number;
  /** Of taking a picture out of the decoder and reducing it. */
  readonly scaleMs: number;
  readonly effectsMs: number;
}

/** A drive as the readers of a line meet it. */
export interface LineDrive {
  readonly name: string;
  readonly bytesPerSecond: number;
  /** Before the first byte of a file. */
  readonly latencyMs: number;
  /** For going elsewhere, once for each turn that one of several readers has. */
  readonly seekMs: number;
}

/** Bytes that are read in one go before another reader has its turn. */
export const TURN_BYTES = 512 * 1024;

/** A stretch of the timeline as a player meets it: all that its simulation needs to know. */
export interface PlaybackLine {
  readonly rate: Rational;
  /** Timeline frames [from, to). */
  readonly from: number;
  readonly to: number;
  /** By their first frame. */
  readonly passages: readonly LinePassage[];
  /** Of each frame, from `from` on. */
  readonly composeMs: Float32Array;
  readonly showMs: number;
  /** What the browser does beside the player to bring a picture to the screen. */
  readonly presentMs: number;
  readonly cores: number;
  /** Cores that something else takes all the time. */
  readonly coresOfOthers: number;
  readonly decodeWorkers: number;
  /** Pictures that may wait to be shown. */
  readonly slots: number;
  readonly drives: readonly LineDrive[];
  /** Bytes that are read ahead of one decoder. */
  readonly readAheadBytes: number;
  /** From the request for a clip until its decoder can be fed. */
  readonly openMs: number;
  /** From the press of play until the first clip is asked for, and until sound is ready. */
  readonly startMs: number;
}
