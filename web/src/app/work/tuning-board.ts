import { Component, computed, DestroyRef, effect, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatMenuModule } from '@angular/material/menu';
import { Store } from '@ngrx/store';
import { sameTuning, savedTuningSchema, type SavedTuning, type Tuning } from '@hone/core/levers';
import { Api, sentenceOf } from '../api/api';
import { saveFile } from '../interchange/timeline-files';
import { count, scaleText } from '../formatting/quantities';
import { withoutText } from '../formatting/recommendation-words';
import { Levers } from '../playback/levers';
import { TuningPredictions } from '../prediction/tuning-predictions';
import { ProjectActions } from '../state/actions';
import { playbackFeature } from '../state/playback.feature';
import { selectLength } from '../state/selectors';
import { figuresText, wholeRunWith } from './tuning-figures';

/** Sets of lever positions under names: compared by what was measured or is predicted with them, and switched. */
@Component({
  selector: 'hone-tuning-board',
  imports: [MatButtonModule, MatMenuModule],
  templateUrl: './tuning-board.html',
  styleUrl: './lever-board.scss',
})
export class TuningBoard {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly levers = inject(Levers);
  private readonly tuningPredictions = inject(TuningPredictions);
  private readonly runs = this.store.selectSignal(playbackFeature.selectRuns);
  private readonly length = this.store.selectSignal(selectLength);
  private readonly saved = signal<readonly SavedTuning[]>([]);
  readonly rows = computed(() => {
    const now = this.levers.tuning();
    return this.saved().map((each) => ({
      ...each,
      isSet: now !== null && sameTuning(now, each.tuning),
      text: `${positionsText(each.tuning)} · ${this.playedText(each.tuning)}`,
    }));
  });

  constructor() {
    effect(() =>
      this.tuningPredictions.show(
        this,
        this.saved().map(({ tuning }) => tuning),
      ),
    );
    inject(DestroyRef).onDestroy(() => this.tuningPredictions.show(this, []));
    void this.take(this.api.savedTunings());
  }

  set({ tuning }: SavedTuning): void {
    this.levers.set(tuning);
  }

  /** Saves the positions as they are, under a new name or one that is there. */
  save(field: HTMLInputElement): void {
    const [name, tuning] = [field.value.trim(), this.levers.tuning()];
    if (!name || !tuning) return;
    field.value = '';
    this.keep({ name, tuning });
  }

  copy({ name, tuning }: SavedTuning): void {
    const taken = new Set(this.saved().map((each) => each.name));
    let number = 2;
    while (taken.has(`${name} ${number}`)) number++;
    this.keep({ name: `${name} ${number}`, tuning });
  }

  remove({ name }: SavedTuning): void {
    void this.take(this.api.saveTunings(this.saved().filter((each) => each.name !== name)));
  }

  toFile({ name, tuning }: SavedTuning): void {
    saveFile(JSON.stringify({ name, tuning }, undefined, 2), `${name}.tuning.json`);
  }

  async fromFile(event: Event): Promise<void> {
    const field = event.target as HTMLInputElement;
    const file = field.files?.[0];
    field.value = '';
    if (!file) return;
    try {
      const read = await savedTuningSchema.validate(JSON.parse(await file.text()), { strict: true });
      this.keep(read);
    } catch {
      const message = `"${file.name}" is not a tuning. Choose a file that was saved with “Save to a file”.`;
      this.store.dispatch(ProjectActions.failed({ message }));
    }
  }

  private keep(tuning: SavedTuning): void {
    const others = this.saved().filter(({ name }) => name !== tuning.name);
    void this.take(this.api.saveTunings([...others, tuning]));
  }

  private async take(reply: Promise<readonly SavedTuning[]>): Promise<void> {
    try {
      this.saved.set(await reply);
    } catch (error) {
      this.store.dispatch(ProjectActions.failed({ message: sentenceOf(error) }));
    }
  }

  /** Drops of the last run of the whole timeline with these positions; before that, what is predicted of one. */
  private playedText(tuning: Tuning): string {
    const run = wholeRunWith(this.runs(), this.length(), tuning);
    if (run) return `${run.summary.dropped} of ${count(run.summary.wanted, 'frame', 'frames')} dropped`;
    const figures = this.tuningPredictions.figuresOf(tuning);
    return figures ? `predicted: ${figuresText(figures)}` : 'not played yet';
  }
}

const positionsText = (tuning: Tuning): string =>
  `${scaleText(tuning.playScale, tuning)}, ${tuning.lightCopies ? 'light copies' : 'originals'}${withoutText(tuning)}`;
