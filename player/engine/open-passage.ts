import type { Passage } from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import type { PlanView } from './plan-view.js';
import type { StreamSet } from './stream-set.js';

/** How the pictures of a passage are made. */
export interface PassageOptions {
  readonly from: number;
  readonly frameSize: FrameSize;
  /** With all effects, as they are seen at rest. */
  readonly isResting: boolean;
  /** With every pixel there is, as the export makes them. */
  readonly isFull: boolean;
  readonly live: boolean;
  /** Frames of a run, where it is played backwards. */
  readonly turned: number;
  /** Most pictures that may wait; undefined for as many as there is room. */
  readonly ahead?: number | undefined;
}

/** Begins to decode a passage, if there is a file for it. */
export function openPassage(
  plan: PlanView,
  streams: StreamSet,
  clip: Passage,
  { isResting, isFull, ahead, ...options }: PassageOptions,
): void {
  const file = plan.fileOf(clip);
  if (!file) return;
  const passage = isResting ? clip : plan.played(clip);
  const scaling = isFull ? ('exact' as const) : ('quick' as const);
  const opened = { ...options, rate: plan.rate, scaling, recoded: plan.recodes(passage) };
  streams.open(passage, file, ahead === undefined ? opened : { ...opened, ahead });
}
