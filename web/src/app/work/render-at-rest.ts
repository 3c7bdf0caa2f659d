import { DestroyRef, effect, inject, Injectable, untracked } from '@angular/core';
import { Store } from '@ngrx/store';
import { greatest } from 'd3-array';
import type { FrameRange } from '@hone/core/timeline';
import { Levers } from '../playback/levers';
import { Predictions } from '../prediction/predictions';
import { ProjectActions, RenderCacheActions } from '../state/actions';
import { playbackFeature } from '../state/playback.feature';
import { selectBusyJobs, selectTimeline } from '../state/selectors';
import { CacheRanges } from './cache-ranges';

/** Time at rest until a render is asked for: an edit or the press of play may follow, ms. */
const REST_MS = 3000;
/** Most frames of one render: after it, the timeline is predicted anew. */
const MOST_FRAMES = 240;

/**
 * Renders stretches that are predicted to drop frames while nothing plays, where the project says so: those first in which
 * the most of the rendered frames would be dropped.
 */
@Injectable()
export class RenderAtRest {
  private readonly store = inject(Store);
  private readonly predictions = inject(Predictions);
  private readonly cache = inject(CacheRanges);
  private readonly tuning = inject(Levers).tuning;
  private readonly state = this.store.selectSignal(playbackFeature.selectState);
  private readonly subjectId = this.store.selectSignal(playbackFeature.selectSubjectId);
  private readonly jobs = this.store.selectSignal(selectBusyJobs);
  private readonly timeline = this.store.selectSignal(selectTimeline);
  /** Ranges of the timeline that were asked for: one that failed is not asked for again and again. */
  private readonly asked = new Set<string>();

  constructor() {
    let waiting: ReturnType<typeof setTimeout> | undefined;
    effect(() => {
      clearTimeout(waiting);
      const isAtRest = this.state() === 'still' && this.subjectId() === null && this.jobs().length === 0;
      const { rendersAtRest, renderCache = true } = this.tuning() ?? {};
      const isPredicted = !this.predictions.isPending() && !this.predictions.isWhatIf();
      const { needed } = this.cache.ranges();
      if (!isAtRest || !rendersAtRest || !renderCache || !isPredicted || needed.length === 0) return;
      waiting = setTimeout(() => untracked(() => this.ask(needed)), REST_MS);
    });
    // An edit ends what was begun by itself: what is complete stays.
    effect(() => {
      this.timeline();
      untracked(() => this.cancelOwn());
    });
    inject(DestroyRef).onDestroy(() => clearTimeout(waiting));
  }

  private ask(needed: readonly FrameRange[]): void {
    const drops = this.predictions.predicted()?.drops ?? new Float32Array();
    const share = ({ from, to }: FrameRange): number =>
      drops.subarray(from, to).reduce((sum, each) => sum + each, 0) / (to - from);
    const ranges = needed.map(({ from, to }) => ({ from, to: Math.min(to, from + MOST_FRAMES) }));
    const open = ranges.filter((each) => !this.asked.has(keyOf(each)));
    const range = greatest(open, (a, b) => share(a) - share(b));
    if (!range) return;
    this.asked.add(keyOf(range));
    this.store.dispatch(RenderCacheActions.renderAsked({ ranges: [range] }));
  }

  private cancelOwn(): void {
    for (const { id, ranges } of this.jobs())
      if (ranges?.some((range) => this.asked.has(keyOf(range))))
        this.store.dispatch(ProjectActions.jobCancelled({ jobId: id }));
    this.asked.clear();
  }
}

const keyOf = ({ from, to }: FrameRange): string => `${from}-${to}`;
