import type { Finding } from '@hone/core/findings';
import type { EffectSum, KnownSource, Situation, Workload } from '@hone/core/cost-model';
import type { Tuning } from '@hone/core/levers';
import type { Rig } from '@hone/core/machine';
import type { DecodeRange } from '@hone/core/pacing';
import type { PacingSummary, RunFacts, ScrubFacts, Stage } from '@hone/core/playback';
import type { Rational } from '@hone/core/time';
import type { Timeline } from '@hone/core/timeline';

/** Calibration after a run of the last predicted timeline. */
export interface LearnRequest {
  readonly firstFrame: number;
  readonly log: Float32Array;
  /** What the run did not decode. */
  readonly facts: Pick<RunFacts, 'ranges' | 'kept'>;
}

/** Asks what a rig plays of each source on a timeline of a rate and a size. */
export interface CapabilityRequest {
  readonly rig: Rig;
  readonly sources: readonly KnownSource[];
  readonly shape: Pick<Timeline, 'rate' | 'size'>;
  readonly tuning: Tuning;
}

/** Asks for a prediction; a newer request makes an older one void. */
export interface PredictionRequest {
  readonly situation: Omit<Situation, 'indexes'>;
  /** Packet indexes by source, as the server keeps them; those sent before are remembered. */
  readonly packets: readonly (readonly [sourceId: string, packets: Uint8Array])[];
  readonly measured: {
    readonly runId: string;
    readonly firstFrame: number;
    readonly log: Float32Array;
    readonly summary: PacingSummary;
    readonly facts: RunFacts;
  } | null;
  /** Whether costs are calibrated by the run first: those of a machine that was not measured are rough. */
  readonly isRough: boolean;
  readonly scrub: ScrubFacts | null;
  /** Size of the copies to be made, and free space on their drive, bytes. */
  readonly planned: { readonly bytes: number; readonly freeBytes: number } | null;
}

/** A prediction as plain numbers, for messages. Frames count from the start of the timeline. */
export interface Predicted {
  readonly rate: Rational;
  readonly summary: PacingSummary;
  readonly framesPerSecond: { readonly low: number; readonly high: number };
  readonly coreUse: number;
  readonly unmeasured: readonly string[];
  /** Ranges of the decode plan; undefined without one. */
  readonly ranges: readonly DecodeRange[] | undefined;
  /** ms of each stage in each frame when nothing else holds it up; of several decoders, the busiest. */
  readonly stageMs: Readonly<Record<Stage, Float32Array>>;
  readonly log: Float32Array;
  /** Probability that each frame is dropped. */
  readonly drops: Float32Array;
  /** The log at nominal costs; calibration compares runs with it. */
  readonly nominalLog: Float32Array;
  /** Costs of each clip, for the sum behind a lane. */
  readonly workload: Pick<Workload, 'from' | 'segments' | 'drives'>;
  readonly findings: readonly Finding[];
  /** Measured where the run went, predicted elsewhere. */
  readonly diagnosed: PacingSummary;
  /** The run that they are of, in whole or in part; null where all of it is predicted. */
  readonly runId: string | null;
  /** Cost of each kind of effect that can be bypassed, bypassed or not, the heaviest first. */
  readonly effects: readonly EffectSum[];
}
