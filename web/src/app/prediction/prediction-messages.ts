import type { Cause, Recommendation } from '@hone/core/findings';
import type { PacingSummary, Workload, RunFacts, ScrubFacts, Stage } from '@hone/core/playback';
import type { EffectSum, Situation } from '@hone/core/rig';
import type { Rational } from '@hone/core/time';

/** A question to the worker that predicts; a newer one makes an older one void. */
export interface PredictionRequest {
  readonly id: number;
  readonly situation: Omit<Situation, 'indexes'>;
  /** Packet indexes by source, as the server keeps them; those sent before are remembered. */
  readonly packets: readonly (readonly [sourceId: string, packets: Uint8Array])[];
  readonly measured: {
    readonly firstFrame: number;
    readonly log: Float32Array;
    readonly summary: PacingSummary;
    readonly facts: RunFacts;
  } | null;
  readonly scrub: ScrubFacts | null;
  /** Copies that wait to be made: bytes that they will take, and that are free where they will lie. */
  readonly planned: { readonly bytes: number; readonly freeBytes: number } | null;
}

/** What was predicted, in numbers that can be handed over. Frames count from the beginning of the timeline. */
export interface Predicted {
  readonly rate: Rational;
  readonly summary: PacingSummary;
  readonly framesPerSecond: { readonly low: number; readonly high: number };
  readonly coreUse: number;
  readonly unmeasured: readonly string[];
  /** ms of each stage in each frame when nothing else holds it up. */
  readonly stageMs: Readonly<Record<Stage, Float32Array>>;
  readonly log: Float32Array;
  /** How likely each frame is dropped. */
  readonly drops: Float32Array;
  /** The log at nominal costs; calibration compares runs with it. */
  readonly nominalLog: Float32Array;
  /** What each clip costs, for the sum behind a lane. */
  readonly workload: Pick<Workload, 'from' | 'segments' | 'drives'>;
  readonly causes: readonly Cause[];
  /** What each kind of effects takes that can be bypassed, whether it is or not; the heaviest first. */
  readonly effects: readonly EffectSum[];
}

/** Offers come after the causes that they answer: one list for each. */
export type PredictionReply =
  | { readonly id: number; readonly kind: 'predicted'; readonly predicted: Predicted }
  | { readonly id: number; readonly kind: 'offers'; readonly offers: readonly (readonly Recommendation[])[] }
  | { readonly id: number; readonly kind: 'failed'; readonly message: string };
