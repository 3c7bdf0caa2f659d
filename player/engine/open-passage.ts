import type { Passage } from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import type { PlanView } from './plan-view.js';
import type { StreamSet } from './stream-set.js';

/** How the pictures of a passage are made. */
export interface PassageOptions {
  readonly from: number;
  readonly frameSize: FrameSize;
  /** With the effects that are seen at rest. */
  readonly isResting: boolean;
  /** As the export makes them, where they have every pixel of the frame. */
  readonly isExact: boolean;
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
  { isResting, isExact, ahead, ...options }: PassageOptions,
): void {
  const file = plan.fileOf(clip);
  if (!file) return;
  const passage = isResting ? plan.rested(clip) : plan.played(clip);
  const isFull = options.frameSize.width === plan.plan.preview.graph.size.width;
  const scaling = isExact && isFull ? ('exact' as const) : ('quick' as const);
  const hold = isResting ? 1 : plan.plan.preview.hold;
  const opened = {
    ...options,
    hold,
    rate: plan.rate,
    scaling,
    recoded: plan.recodes(passage),
    onGraphics: plan.onGraphics,
  };
  streams.open(passage, file, ahead === undefined ? opened : { ...opened, ahead });
}
