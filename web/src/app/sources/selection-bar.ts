import { Component, computed, effect, inject, input } from '@angular/core';
import { Router } from '@angular/router';
import { MatButtonModule } from '@angular/material/button';
import { Store } from '@ngrx/store';
import type { Source, SourceChange } from '@hone/core/api';
import type { PlaceMode } from '@hone/core/timeline';
import { CopyActions, PlayerActions, SourcesActions } from '../state/actions';
import { rowsByDivisor } from '../state/copies-by-divisor';
import { priceOf } from '../state/copy-price';
import { mediaFeature } from '../state/media.feature';
import { selectAllCopyRows, selectUsedIds, type CopyRow } from '../state/selectors';
import { bytes, count, wait } from '../formatting/quantities';
import { SourcePlacement } from './source-placement';

/** Actions on the selected sources. Unavailable ones say why. */
@Component({
  selector: 'hone-selection-bar',
  imports: [MatButtonModule],
  templateUrl: './selection-bar.html',
  styleUrl: './selection-bar.scss',
})
export class SelectionBar {
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly placement = inject(SourcePlacement);
  readonly chosen = input.required<readonly Source[]>();
  private readonly rows = this.store.selectSignal(selectAllCopyRows);
  private readonly used = this.store.selectSignal(selectUsedIds);
  private readonly estimating = this.store.selectSignal(mediaFeature.selectEstimating);
  readonly ids = computed(() => this.chosen().map(({ id }) => id));
  readonly title = computed(() => `${count(this.chosen().length, 'source', 'sources')} chosen`);
  private readonly chosenRows = computed(() => this.ids().flatMap((id) => this.rows().get(id) ?? []));
  private readonly uncopied = computed(() =>
    this.chosenRows().filter(({ copy }) => !copy || copy.state === 'failed'),
  );
  /** All copies of the chosen sources that are whole, of whatever size, also stale ones. */
  private readonly copied = computed(() =>
    this.chosenRows()
      .flatMap(({ copy, others }) => (copy ? [copy, ...others] : others))
      .filter(({ state }) => state === 'ready' || state === 'stale'),
  );
  readonly placeable = computed(() => this.chosen().filter(({ state, facts }) => state === 'ready' && facts));
  /** Sources that could not be read, or wait for something. */
  readonly unread = computed(() => this.chosen().filter(({ state }) => state !== 'ready'));
  readonly copyText = computed(() => {
    const rows = this.uncopied();
    if (rows.length === 0) return 'Make light copies';
    const what = `Make copies of ${count(rows.length, 'clip', 'clips')}`;
    const price = priceOf(rows.map(({ estimate }) => estimate));
    if (!price) return this.estimating() ? `${what} · measuring …` : what;
    return `${what} · about ${wait(price.seconds)} · ${bytes(price.bytes)}`;
  });
  readonly canCopy = computed(() => this.uncopied().length > 0);
  readonly deleteText = computed(() => {
    const copies = this.copied();
    const freed = copies.reduce((sum, copy) => sum + copy.bytes, 0);
    return copies.length
      ? `Delete ${count(copies.length, 'copy', 'copies')} · frees ${bytes(freed)}`
      : 'Delete copies';
  });
  readonly canDelete = computed(() => this.copied().length > 0);
  private readonly inUse = computed(() => this.chosen().filter(({ id }) => this.used().has(id)));
  readonly canRemove = computed(() => this.inUse().length === 0);
  /** Reasons why actions are unavailable, in one line. */
  readonly why = computed(() => {
    const reasons = [];
    if (!this.placeable().length) reasons.push('None of them is ready to be put on the timeline.');
    if (!this.canCopy()) reasons.push('No copies to make: each has one, or has no picture.');
    if (!this.canDelete()) reasons.push('None of them has a copy to delete.');
    if (!this.canRemove())
      reasons.push(
        `${count(this.inUse().length, 'source is', 'sources are')} on the timeline and cannot be removed.`,
      );
    return reasons.join(' ');
  });

  constructor() {
    // A few are measured at once; many only when asked for, since each takes a second or so.
    effect(() => {
      const missing = this.uncopied().filter(({ estimate }) => estimate === null);
      if (missing.length > 0 && missing.length <= MEASURED_AT_ONCE && !this.estimating())
        this.estimate(missing);
    });
  }

  place(): void {
    this.placement.append(this.placeable());
  }

  placeHere(mode: PlaceMode): void {
    this.placement.place(this.placeable(), mode);
  }

  playAlone(): void {
    this.store.dispatch(PlayerActions.subjectChosen({ sourceId: this.ids()[0]! }));
    void this.router.navigate(['/work']);
  }

  makeCopies(): void {
    for (const [divisor, sourceIds] of rowsByDivisor(this.uncopied()))
      this.store.dispatch(CopyActions.asked({ sourceIds, divisor }));
  }

  deleteCopies(): void {
    for (const { id } of this.copied()) this.store.dispatch(CopyActions.removed({ copyId: id }));
  }

  moveTo(field: HTMLInputElement): void {
    const bin = field.value
      .split('/')
      .map((part) => part.trim())
      .filter(Boolean)
      .join('/');
    this.change({ bin });
    field.value = '';
  }

  tag(field: HTMLInputElement): void {
    const addTag = field.value.trim();
    if (addTag) this.change({ addTag });
    field.value = '';
  }

  untag(field: HTMLInputElement): void {
    const removeTag = field.value.trim();
    if (removeTag) this.change({ removeTag });
    field.value = '';
  }

  readAgain(): void {
    this.store.dispatch(SourcesActions.readingAsked({ sourceIds: this.unread().map(({ id }) => id) }));
  }

  remove(): void {
    this.store.dispatch(SourcesActions.removalAsked({ sourceIds: [...this.ids()] }));
  }

  clear(): void {
    this.store.dispatch(SourcesActions.selectionChanged({ selected: [] }));
  }

  private change(change: Omit<SourceChange, 'sourceIds'>): void {
    this.store.dispatch(SourcesActions.changeAsked({ change: { sourceIds: this.ids(), ...change } }));
  }

  private estimate(rows: readonly CopyRow[]): void {
    for (const [divisor, sourceIds] of rowsByDivisor(rows))
      this.store.dispatch(CopyActions.estimateAsked({ sourceIds, divisor }));
  }
}

const MEASURED_AT_ONCE = 6;
