import { computed, inject, Injectable } from '@angular/core';
import { Store } from '@ngrx/store';
import { uncovered } from '@hone/core/cache';
import { mergeRanges, type FrameRange } from '@hone/core/timeline';
import type { CacheState } from '../drawing/cache-drawing';
import { Predictions } from '../prediction/predictions';
import { playbackFeature } from '../state/playback.feature';
import { selectBusyJobs, selectPlan } from '../state/selectors';

/** Probability of a drop from which a frame counts as needing the cache. */
const LIKELY = 0.5;
/** Frames around a likely drop that are shown with it. */
const AROUND = 6;

/** Timeline frames that are cached, being rendered, and predicted to need it. */
@Injectable({ providedIn: 'root' })
export class CacheRanges {
  private readonly store = inject(Store);
  private readonly predictions = inject(Predictions);
  private readonly plan = this.store.selectSignal(selectPlan);
  private readonly jobs = this.store.selectSignal(selectBusyJobs);
  private readonly subjectId = this.store.selectSignal(playbackFeature.selectSubjectId);

  readonly ranges = computed((): CacheState => {
    const uses = this.plan()?.preview.cached ?? [];
    const cached = mergeRanges(uses.filter(({ point }) => !point));
    const parts = mergeRanges(uses).flatMap((range) => uncovered(range, cached));
    // What is rendered is of the timeline, and not of a source that is played alone.
    const wanted = this.subjectId() === null ? this.jobs().flatMap(({ ranges }) => ranges ?? []) : [];
    const rendering = mergeRanges(wanted).flatMap((range) => uncovered(range, cached));
    const handled = mergeRanges([...cached, ...rendering]);
    const needed = likelyDrops(this.predictions.predicted()?.drops).flatMap((range) =>
      uncovered(range, handled),
    );
    return { cached, parts, rendering, needed };
  });
}

function likelyDrops(drops: Float32Array | undefined): FrameRange[] {
  const ranges: FrameRange[] = [];
  drops?.forEach((share, frame) => {
    if (share >= LIKELY)
      ranges.push({ from: Math.max(0, frame - AROUND), to: Math.min(drops.length, frame + AROUND) });
  });
  return mergeRanges(ranges);
}
