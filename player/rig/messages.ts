import type { DecodeFigures, DecodeSample } from '@hone/core/machine';
import type { FrameSize } from '@hone/core/timeline';

/** Page to rig worker. Each request gets one reply with its number. */
export type RigRequest =
  | { kind: 'init'; wasm: ArrayBuffer }
  | { kind: 'kernels'; rounds: number }
  /** What is shown from now on is seen on a canvas of the page. */
  | { kind: 'canvas'; canvas: OffscreenCanvas }
  | { kind: 'shows'; sizes: readonly FrameSize[]; rounds: number }
  | { kind: 'showing'; size: FrameSize; ms: number; seen: boolean }
  | { kind: 'work'; ms: number }
  | { kind: 'decode'; url: string; seconds: number; decoders: number; starts: boolean }
  | { kind: 'graphics'; rounds: number };

/** ms for each repetition. */
export interface KernelTimes {
  readonly stage: 'scale' | 'effects' | 'compose';
  readonly kernel: string;
  /** What the times are divided by. */
  readonly megapixels: number;
  readonly of: 'source' | 'result';
  readonly ms: readonly number[];
}

export interface ShowTimes {
  readonly size: FrameSize;
  readonly ms: readonly number[];
}

export interface DecodeTimes {
  /** Rows of pictures; null when the browser does not decode it, and `problem` says why. */
  readonly samples: readonly DecodeSample[] | null;
  /** From setting a decoder up until its first picture, ms, each time that it was tried. */
  readonly startMs: readonly number[];
  /** From leaving its place while it is busy until its first picture elsewhere, ms, each time. */
  readonly restartMs: readonly number[];
  readonly framesPerSecond: number;
  readonly acceleration: DecodeFigures['acceleration'];
  readonly problem: string | null;
}

export interface GraphicsTimes {
  readonly renderer: string;
  readonly software: boolean;
  /** Uploading a decoded picture and drawing it smaller; empty without a graphics context. */
  readonly ms: readonly number[];
  readonly megapixels: number;
}

export type RigReply =
  | { kind: 'init' }
  | { kind: 'kernels'; times: readonly KernelTimes[] }
  | { kind: 'canvas' }
  | { kind: 'shows'; times: readonly ShowTimes[] }
  | { kind: 'showing'; pictures: number }
  | { kind: 'work'; pieces: number }
  | { kind: 'decode'; times: DecodeTimes }
  | { kind: 'graphics'; times: GraphicsTimes };

export type NumberedRequest = RigRequest & { readonly number: number };
export type NumberedReply =
  | (RigReply & { readonly number: number })
  | { readonly kind: 'failed'; readonly number: number; readonly message: string };
