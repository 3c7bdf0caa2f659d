import type { FrameLog, PacingSummary, RunFacts, ScrubFacts, Stage } from '../playback/index.js';
import type { Prediction, ScrubWait, Situation } from '../rig/index.js';
import type { FrameSize } from '../timeline/index.js';

/** Whatever can hold playback back, or be taken for it. */
export const CAUSES = [
  'drive',
  'cores',
  'serial decoding',
  'thrown away',
  'oversized source',
  'unseen clips',
  'effects',
  'scaling or composing',
  'showing',
  'hardware decoding',
  'weaker graphics',
  'drive of copies',
  'copy not usable',
  'memory',
  'slow start',
  'slow scrubbing',
  'soft picture',
  'picture behind sound',
  'space',
  'other programs',
  'slowing down',
  'sound',
  'plays',
] as const;

export type CauseKind = (typeof CAUSES)[number];

/** Timeline frames [from, to). */
export interface Span {
  readonly from: number;
  readonly to: number;
}

/** A cause with its evidence. Numbers are named with their units. */
export interface Cause {
  readonly kind: CauseKind;
  /** The stage that it shows in; null where it shows in none. */
  readonly stage: Stage | null;
  readonly spans: readonly Span[];
  /** Frames that are dropped for it, as predicted, and in the run that was measured. */
  readonly predictedDrops: number;
  readonly measuredDrops: number | null;
  readonly numbers: Readonly<Record<string, number>>;
  /** Names that its sentence needs: of sources, drives, effects. */
  readonly names: readonly string[];
  /** What each stage takes in its stretches, per cent of the frame budget; null where no frame is dropped for it. */
  readonly loads: { readonly percent: Readonly<Record<Stage, number>>; readonly areMeasured: boolean } | null;
}

/** A run that was measured on the timeline as it stands. */
export interface Measured {
  readonly log: FrameLog;
  readonly summary: PacingSummary;
  readonly facts: RunFacts;
}

/** All that causes are found in. */
export interface Scene {
  readonly situation: Situation;
  readonly prediction: Prediction;
  readonly measured: Measured | null;
  readonly scrub: ScrubFacts | null;
  /** How soon scrubbing is predicted to answer; null where it was not predicted. */
  readonly scrubWait: ScrubWait | null;
  /** Copies whose making waits: what they take, and what is free where they will lie; null when none waits. */
  readonly planned: { readonly bytes: number; readonly freeBytes: number } | null;
}

export const emptyCause = (kind: CauseKind, stage: Stage | null = null): Cause => ({
  kind,
  stage,
  spans: [],
  predictedDrops: 0,
  measuredDrops: null,
  numbers: {},
  names: [],
  loads: null,
});

/** A source with so many times the pixels of the timeline is oversized. */
const OVERSIZED = 1.5;

export const isOversized = (source: FrameSize, timeline: FrameSize): boolean =>
  source.width * source.height > OVERSIZED * timeline.width * timeline.height;

/** Spans that touch become one. */
export function merged(spans: readonly Span[]): Span[] {
  const result: Span[] = [];
  for (const { from, to } of [...spans].sort((a, b) => a.from - b.from)) {
    const last = result.at(-1);
    if (last && last.to >= from) result[result.length - 1] = { from: last.from, to: Math.max(last.to, to) };
    else result.push({ from, to });
  }
  return result;
}
