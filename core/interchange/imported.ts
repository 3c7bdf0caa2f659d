import type { Rational } from '../time/index.js';
import type {
  Effect,
  Fades,
  Foreign,
  Framing,
  FrameSize,
  Marker,
  TrackKind,
  TransitionKind,
} from '../timeline/index.js';

/** A medium as a timeline file names it. */
export interface MediaReference {
  readonly name: string;
  /** Path or address in the file; empty without one. */
  readonly target: string;
  /** Seconds of the medium's own timecode at its first frame; null when the file does not say. */
  readonly startSeconds: Rational | null;
  readonly lengthSeconds: Rational | null;
  /** SHA-256 and size of its file, where a Hone wrote them. */
  readonly content?: MediaContent | undefined;
}

export interface MediaContent {
  readonly sha256: string;
  readonly bytes: number;
}

export interface ImportedClip {
  readonly name: string;
  /** Frames of the timeline. */
  readonly start: number;
  readonly length: number;
  /**
   * Seconds from the medium's first frame where `media.startSeconds` is known or the file counts from zero, else on the
   * medium's own timecode.
   */
  readonly sourceIn: Rational;
  readonly speed: Rational;
  readonly enabled: boolean;
  readonly media: MediaReference;
  readonly effects?: readonly Omit<Effect, 'id'>[] | undefined;
  readonly framing?: Framing | undefined;
  readonly fades?: Fades | undefined;
  readonly keepsPitch?: boolean | undefined;
  readonly foreign?: Foreign | undefined;
}

export interface ImportedTransition {
  readonly kind: TransitionKind;
  readonly at: number;
  readonly before: number;
  readonly after: number;
  /** Colour of a dip, as #rrggbb. */
  readonly colour?: string | undefined;
  readonly foreign?: Foreign | undefined;
}

export interface ImportedTrack {
  readonly kind: TrackKind;
  readonly name: string;
  readonly enabled: boolean;
  readonly clips: readonly ImportedClip[];
  readonly transitions: readonly ImportedTransition[];
  readonly foreign?: Foreign | undefined;
}

/** A timeline read from a file, before its media are found. */
export interface ImportedTimeline {
  readonly name: string;
  readonly rate: Rational;
  readonly startFrame: number;
  /** Whether the file counts in drop-frame timecode; undefined when it does not say. */
  readonly dropFrame?: boolean | undefined;
  readonly size: FrameSize | null;
  readonly tracks: readonly ImportedTrack[];
  readonly markers: readonly Omit<Marker, 'id'>[];
  /** Parts of the file that were changed or lost, one sentence each. */
  readonly notes: readonly string[];
  readonly foreign?: Foreign | undefined;
}

export type Json = null | boolean | number | string | readonly Json[] | JsonObject;

export interface JsonObject {
  readonly [key: string]: Json;
}

/** A fault in a timeline file; the message names the place. */
export class InterchangeError extends Error {
  override readonly name = 'InterchangeError';

  /** @param place line or path in the file */
  constructor(place: string, what: string) {
    super(`${place}: ${what}`);
  }
}

/** A file larger than this is refused. */
export const MOST_FILE_BYTES = 50 * 2 ** 20;
