import { effect, inject, Injectable, untracked } from '@angular/core';
import { Store } from '@ngrx/store';
import { RUN_SCALE_SECONDS, RunScale, type PreviewScale } from '@hone/core/levers';
import { settledFrames } from '@hone/core/playback';
import type { Timeline } from '@hone/core/timeline';
import { Predictions } from '../prediction/predictions';
import { playbackFeature } from '../state/playback.feature';
import { selectTimeline } from '../state/selectors';
import { Levers } from './levers';
import { Playback } from './playback';
import { RunLogs } from './run-logs';

/** Moves the preview scale where it is automatic: before a run by prediction, during it by what is dropped. */
@Injectable()
export class AutomaticScale {
  private readonly levers = inject(Levers);
  private readonly predictions = inject(Predictions);
  private readonly playback = inject(Playback);
  private readonly logs = inject(RunLogs);
  private readonly store = inject(Store);
  private readonly state = this.store.selectSignal(playbackFeature.selectState);
  private readonly timeline = this.store.selectSignal(selectTimeline);
  /** Scale that a run of a timeline needed, where the predicted one dropped frames. */
  private needed: { readonly timeline: Timeline | null; readonly scale: PreviewScale } | null = null;

  constructor() {
    effect(() => {
      const scale = this.predictions.automaticScale();
      if (scale === null || this.state() !== 'still') return;
      const { needed } = this;
      const isSharper = needed?.timeline === this.timeline() && scale < needed.scale;
      untracked(() => this.move(isSharper ? needed.scale : scale));
    });
    effect((onCleanup) => {
      if (this.state() !== 'playing') return;
      const tuning = untracked(() => this.levers.tuning());
      if (!tuning?.autoScale) return;
      const run = new RunScale(tuning.playScale);
      let seen = untracked(() => this.playback.playhead);
      const look = (): void => {
        const [log, playhead] = [this.logs.live(), this.playback.playhead];
        if (log && playhead > seen) {
          const { settled, shown } = settledFrames(log, Math.floor(seen), Math.floor(playhead));
          const scale = run.next(settled ? 1 - shown / settled : 0);
          this.needed = scale > tuning.playScale ? { timeline: this.timeline(), scale } : null;
          this.move(scale);
        }
        seen = playhead;
      };
      const timer = setInterval(() => untracked(look), 1000 * RUN_SCALE_SECONDS);
      onCleanup(() => clearInterval(timer));
    });
  }

  private move(playScale: PreviewScale): void {
    const tuning = this.levers.tuning();
    if (tuning?.autoScale && tuning.playScale !== playScale) this.levers.move({ playScale, autoScale: true });
  }
}
