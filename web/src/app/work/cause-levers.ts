import { Component, computed, inject, input } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { Store } from '@ngrx/store';
import type { LeverChange, Recommendation } from '@hone/core/findings';
import { CopyActions, ProjectActions } from '../state/actions';
import { mediaFeature } from '../state/features';
import { selectTuning } from '../state/selectors';
import { offerRefusal, offerText } from '../formatting/offer-words';
import { bytes, wait } from '../formatting/quantities';
import { copiesByDivisor } from './copies-by-divisor';

/** The levers that answer one cause, as buttons that say what they bring and take; and why the others do not help. */
@Component({
  selector: 'hone-cause-levers',
  imports: [MatButtonModule],
  template: `
    @for (bid of bids(); track $index) {
      @if (bid.helps) {
        <button
          mat-stroked-button
          type="button"
          class="wraps"
          [disabled]="isElsewhere()"
          (click)="take(bid.move)"
        >
          {{ bid.text }}
        </button>
      } @else {
        <p class="quiet">{{ bid.text }}</p>
      }
    }
    @if (isElsewhere() && someHelp()) {
      <p class="quiet">These would help on that machine. Levers are moved on the machine that plays.</p>
    }
  `,
  styleUrl: './cause-levers.scss',
})
export class CauseLevers {
  readonly offers = input.required<readonly Recommendation[]>();
  /** Whether they are those of a machine that is not this one. */
  readonly isElsewhere = input(false);
  private readonly store = inject(Store);
  private readonly tuning = this.store.selectSignal(selectTuning);
  private readonly estimates = this.store.selectSignal(mediaFeature.selectEstimates);

  readonly bids = computed(() =>
    this.offers().map((offer) => ({
      move: offer.move,
      helps: offer.helps,
      text: offer.helps ? offerText(offer, this.priceOf(offer)) : offerRefusal(offer),
    })),
  );
  readonly someHelp = computed(() => this.bids().some(({ helps }) => helps));

  take(move: LeverChange): void {
    const tuning = this.tuning();
    if (!tuning) return;
    const lever = (change: Partial<typeof tuning>): void =>
      this.store.dispatch(ProjectActions.leverMoved({ tuning: { ...tuning, ...change } }));
    switch (move.lever) {
      case 'preview scale':
        return lever({ playScale: move.playScale });
      case 'scale at rest':
        return lever({ restScale: move.restScale });
      case 'effect bypass':
        return lever({ bypass: [...move.bypass] });
      case 'play from originals':
        return lever({ lightCopies: false });
      case 'play from copies':
        return lever({ lightCopies: true });
      case 'make copies':
        if (!tuning.lightCopies) lever({ lightCopies: true });
        for (const [divisor, sourceIds] of copiesByDivisor(move.copies))
          this.store.dispatch(CopyActions.asked({ sourceIds, divisor }));
    }
  }

  // What copies take is measured on a sample of each clip; until it was for all of them, nothing is said of it.
  private priceOf({ move, pixels: { width, height } }: Recommendation): string | null {
    if (move.lever === 'effect bypass') return 'at rest they are seen';
    if (move.lever !== 'make copies')
      return move.lever === 'play from copies' ? null : `${width}\u00a0×\u00a0${height}`;
    const found = move.copies.map((wanted) =>
      this.estimates().find((each) => each.sourceId === wanted.sourceId && each.divisor === wanted.divisor),
    );
    if (found.some((each) => !each)) return null;
    const seconds = found.reduce((sum, each) => sum + each!.seconds, 0);
    const size = found.reduce((sum, each) => sum + each!.bytes, 0);
    return `${seconds < 1 ? '' : 'about '}${wait(seconds)} · ${bytes(size)}`;
  }
}
