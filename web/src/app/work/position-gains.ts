import { Component, computed, DestroyRef, effect, inject, input } from '@angular/core';
import { Store } from '@ngrx/store';
import type { TuningFigures } from '@hone/core/findings';
import type { Tuning } from '@hone/core/levers';
import { isRealTime } from '@hone/core/playback';
import { rounded } from '../formatting/quantities';
import { Levers } from '../playback/levers';
import { Predictions } from '../prediction/predictions';
import { TuningPredictions } from '../prediction/tuning-predictions';
import { playbackFeature } from '../state/playback.feature';
import { selectLength } from '../state/selectors';
import { wholeRunWith } from './tuning-figures';

/** A position of one lever, the others left as they are. */
export interface LeverPosition {
  readonly name: string;
  readonly change: Partial<Tuning>;
}

const shortText = (figures: TuningFigures | undefined): string =>
  !figures ? '…' : figures.isRealTime ? 'plays' : rounded(figures.framesPerSecond);

/** How the timeline plays with each position of a lever: measured where it was played so, predicted elsewhere. */
@Component({
  selector: 'hone-position-gains',
  template: '<span class="quiet">{{ text() }}</span>',
  styles: ':host { font-size: 11.5px }',
})
export class PositionGains {
  readonly positions = input.required<readonly LeverPosition[]>();
  private readonly store = inject(Store);
  private readonly levers = inject(Levers);
  private readonly predictions = inject(Predictions);
  private readonly tuningPredictions = inject(TuningPredictions);
  private readonly runs = this.store.selectSignal(playbackFeature.selectRuns);
  private readonly length = this.store.selectSignal(selectLength);
  private readonly tunings = computed(() => {
    const now = this.levers.tuning();
    if (!now) return [];
    return this.positions().map(({ name, change }) => {
      const tuning: Tuning = { ...now, ...change };
      const run = this.predictions.isWhatIf() ? undefined : wholeRunWith(this.runs(), this.length(), tuning);
      return { name, tuning, run };
    });
  });

  readonly text = computed(() => {
    if (this.predictions.recommendations() === null) return 'being predicted …';
    const all = this.tunings().map(({ name, tuning, run }) => {
      if (!run) return { name, figures: this.tuningPredictions.figuresOf(tuning), note: '' };
      const { summary } = run;
      // A picture that stands for two frames is one.
      const newPictures = summary.framesPerSecondShown / (tuning.everySecondFrame ? 2 : 1);
      const figures = { framesPerSecond: newPictures, isRealTime: isRealTime(summary) };
      return { name, figures, note: ', measured' };
    });
    const parts = all.map(({ name, figures, note }) => `${name} ${shortText(figures)}${note}`);
    const unit = all.some(({ figures }) => figures && !figures.isRealTime) ? 'frames/s: ' : '';
    return unit + parts.join(' · ');
  });

  constructor() {
    effect(() => {
      const wanted = this.tunings().filter(({ run }) => !run);
      this.tuningPredictions.show(
        this,
        wanted.map(({ tuning }) => tuning),
      );
    });
    inject(DestroyRef).onDestroy(() => this.tuningPredictions.show(this, []));
  }
}
