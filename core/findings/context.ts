import type { FrameLog, PacingSummary, RunFacts, ScrubFacts } from '../playback/index.js';
import type { Situation } from '../cost-model/index.js';
import type { Prediction, ScrubWait } from '../simulation/index.js';
import type { FrameSize } from '../timeline/index.js';

/** A run of the timeline as it is. */
export interface MeasuredRun {
  readonly log: FrameLog;
  readonly summary: PacingSummary;
  readonly facts: Pick<RunFacts, 'sound' | 'othersShare'>;
}

/** Context of a diagnosis, beside the frame log. */
export interface FindingContext {
  readonly situation: Situation;
  /** Costs of its frames on the rig; for a measured log, calibrated by that run. */
  readonly prediction: Prediction;
  /** The run that the log is of, in whole or in part; null where all of it is predicted. */
  readonly run: MeasuredRun | null;
  readonly scrub: ScrubFacts | null;
  /** Predicted latency of scrubbing; null where it was not predicted. */
  readonly scrubWait: ScrubWait | null;
  /** Copies whose making waits: bytes that they take, and that are free where they will be; null when none waits. */
  readonly planned: { readonly bytes: number; readonly freeBytes: number } | null;
}

/** A source with so many times the pixels of the timeline is oversized. */
const OVERSIZED = 1.5;

export const isOversized = (source: FrameSize, timeline: FrameSize): boolean =>
  source.width * source.height > OVERSIZED * timeline.width * timeline.height;
