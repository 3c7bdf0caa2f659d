import { computed, effect, inject, Injectable, signal, untracked } from '@angular/core';
import type { Recommendation, TuningFigures } from '@hone/core/findings';
import { tuningKey, type Tuning } from '@hone/core/levers';
import { Predictions } from './predictions';

/** Figures of tunings in one situation, which its recommendations stand for. */
interface Found {
  readonly of: readonly (readonly Recommendation[])[] | null;
  readonly byTuning: ReadonlyMap<string, TuningFigures>;
}

/** Predicts how the timeline would play with tunings that someone looks at, after everything more urgent. */
@Injectable({ providedIn: 'root' })
export class TuningPredictions {
  private readonly predictions = inject(Predictions);
  /** Tunings that are looked at, by who shows them. */
  private readonly wanted = signal<ReadonlyMap<object, readonly Tuning[]>>(new Map());
  private readonly isBusy = signal(false);
  private readonly found = signal<Found>({ of: null, byTuning: new Map() });
  private readonly missing = computed(() => {
    const known = this.known();
    const all = new Map([...this.wanted().values()].flat().map((tuning) => [tuningKey(tuning), tuning]));
    return [...all].filter(([key]) => !known.has(key)).map(([, tuning]) => tuning);
  });

  constructor() {
    effect(() => {
      const of = this.predictions.recommendations();
      const missing = this.missing();
      if (of && missing.length && this.predictions.isStill() && !this.isBusy())
        untracked(() => void this.predict(of, missing));
    });
  }

  /** Figures of a tuning; undefined while they are still to come. */
  figuresOf(tuning: Tuning): TuningFigures | undefined {
    return this.known().get(tuningKey(tuning));
  }

  /** @param owner who looks at the tunings, until others are given or none */
  show(owner: object, tunings: readonly Tuning[]): void {
    this.wanted.update((all) => {
      const others = new Map(all);
      others.delete(owner);
      return tunings.length ? others.set(owner, tunings) : others;
    });
  }

  /** Figures of the present situation. */
  private known(): Found['byTuning'] {
    const { of, byTuning } = this.found();
    return of && of === this.predictions.recommendations() ? byTuning : NONE;
  }

  private async predict(of: NonNullable<Found['of']>, [tuning]: readonly Tuning[]): Promise<void> {
    this.isBusy.set(true);
    const figures = await this.predictions.withTuning(tuning!).catch(() => null);
    if (figures)
      this.found.update((before) => ({
        of,
        byTuning: new Map([...(before.of === of ? before.byTuning : []), [tuningKey(tuning!), figures]]),
      }));
    this.isBusy.set(false);
  }
}

const NONE: Found['byTuning'] = new Map();
