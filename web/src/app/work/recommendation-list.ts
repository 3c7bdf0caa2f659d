import { Component, computed, inject, input } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { Store } from '@ngrx/store';
import type { LeverChange, Recommendation } from '@hone/core/findings';
import { CopyActions, RenderCacheActions } from '../state/actions';
import { Levers } from '../playback/levers';
import { mediaFeature } from '../state/media.feature';
import { refusalText, recommendationText } from '../formatting/recommendation-words';
import { bytes, wait } from '../formatting/quantities';
import { copiesByDivisor } from '../state/copies-by-divisor';
import { priceOf } from '../state/copy-price';

/** Recommendations for one finding: rows with act, predicted result and price, and reasons why other levers do not help. */
@Component({
  selector: 'hone-recommendation-list',
  imports: [MatButtonModule],
  template: `
    @for (row of helpful(); track $index; let first = $first) {
      <button
        [matButton]="first ? 'filled' : 'outlined'"
        type="button"
        class="wraps"
        [disabled]="isElsewhere()"
        (click)="take(row.change)"
      >
        <span class="act">{{ row.text.act }}</span>
        <span class="result">
          <b>{{ row.text.result }}</b>
          @if (row.text.plays; as plays) {
            · {{ plays }}
          }
        </span>
        <span class="price">{{ row.price }}</span>
      </button>
    }
    @for (text of refusals(); track $index) {
      <p class="quiet">{{ text }}</p>
    }
    @if (isElsewhere() && helpful().length) {
      <p class="quiet">These would help on that machine. Levers are moved on the machine that plays.</p>
    }
  `,
  styleUrl: './recommendation-list.scss',
})
export class RecommendationList {
  readonly recommendations = input.required<readonly Recommendation[]>();
  /** Whether they are those of a machine that is not this one. */
  readonly isElsewhere = input(false);
  private readonly store = inject(Store);
  private readonly levers = inject(Levers);
  private readonly estimates = this.store.selectSignal(mediaFeature.selectEstimates);

  readonly helpful = computed(() =>
    this.recommendations()
      .filter(({ helps }) => helps)
      .map((each) => ({
        change: each.change,
        text: recommendationText(each),
        price: this.priceOf(each) ?? '',
      })),
  );
  readonly refusals = computed(() =>
    this.recommendations()
      .filter(({ helps }) => !helps)
      .map(refusalText),
  );

  take(change: LeverChange): void {
    const { levers } = this;
    switch (change.lever) {
      case 'preview scale':
        return levers.move({ playScale: change.playScale });
      case 'scale at rest':
        return levers.move({ restScale: change.restScale });
      case 'effect bypass':
        return levers.move({ bypass: [...change.bypass] });
      case 'automatic decoding':
        return levers.move({ decodePaths: undefined });
      case 'automatic composing':
        return levers.move({ composeOn: undefined });
      case 'play from originals':
        return levers.move({ lightCopies: false });
      case 'play from copies':
        return levers.move({ lightCopies: true });
      case 'make copies':
        if (!levers.tuning()?.lightCopies) levers.move({ lightCopies: true });
        for (const [divisor, sourceIds] of copiesByDivisor(change.copies))
          this.store.dispatch(CopyActions.asked({ sourceIds, divisor }));
        return;
      case 'play from cache':
        return levers.move({ renderCache: undefined });
      case 'render stretches':
        return this.store.dispatch(RenderCacheActions.renderAsked({ ranges: change.ranges }));
    }
  }

  // The time of copies is measured on a sample of each clip, and shown once all samples are measured.
  private priceOf({ change, price: rendered, pixels: { width, height } }: Recommendation): string | null {
    if (rendered) return `about ${wait(rendered.seconds)} · ${bytes(rendered.bytes)}`;
    if (change.lever === 'effect bypass')
      return this.levers.tuning()?.bypassAtRest ? 'left out at rest too' : 'at rest they are seen';
    if (change.lever === 'automatic decoding' || change.lever === 'automatic composing') return null;
    if (change.lever !== 'make copies')
      return change.lever === 'play from copies' ? null : `${width}\u00a0×\u00a0${height}`;
    const found = change.copies.map((wanted) =>
      this.estimates().find((each) => each.sourceId === wanted.sourceId && each.divisor === wanted.divisor),
    );
    const price = priceOf(found);
    if (!price) return null;
    return `${price.seconds < 1 ? '' : 'about '}${wait(price.seconds)} · ${bytes(price.bytes)}`;
  }
}
