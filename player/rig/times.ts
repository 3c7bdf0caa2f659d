import type { DecodePath } from '@hone/core/levers';
import type { DecodeFigures, DecodeSample } from '@hone/core/machine';
import type { FrameSize } from '@hone/core/timeline';

/** ms for each repetition. */
export interface KernelTimes {
  readonly stage: 'scale' | 'effects' | 'compose';
  readonly kernel: string;
  /** Divisor of the times. */
  readonly megapixels: number;
  readonly of: 'source' | 'result';
  readonly ms: readonly number[];
}

export interface ShowTimes {
  readonly size: FrameSize;
  readonly ms: readonly number[];
}

/** Composing on the graphics processor. */
export interface ComposingTimes {
  /** Of composing, and of each effect. */
  readonly kernels: readonly KernelTimes[];
  readonly shows: readonly ShowTimes[];
}

export interface DecodeTimes {
  /** Samples; null where the browser does not decode it, with the reason in `problem`. */
  readonly samples: readonly DecodeSample[] | null;
  /** From setting a decoder up until its first picture, ms, each time that it was tried. */
  readonly startMs: readonly number[];
  /** From leaving its place while it is busy until its first picture elsewhere, ms, each time. */
  readonly restartMs: readonly number[];
  readonly framesPerSecond: number;
  /** Path that it was decoded by; none where it was not decoded. */
  readonly acceleration: DecodeFigures['acceleration'];
  /** Paths that the browser offers. */
  readonly paths: readonly DecodePath[];
  readonly problem: string | null;
}

/** Of a file that was not decoded; why, stands in its `problem`. */
export const NOT_DECODED = {
  ...{ samples: null, startMs: [], restartMs: [], framesPerSecond: 0 },
  acceleration: 'none',
} as const;

export interface GraphicsTimes {
  readonly renderer: string;
  readonly software: boolean;
  /** Uploading a decoded picture and drawing it smaller; empty without a graphics context. */
  readonly ms: readonly number[];
  readonly megapixels: number;
}
