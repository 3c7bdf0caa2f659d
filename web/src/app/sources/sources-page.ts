import { Component, computed, inject } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { MatDialog } from '@angular/material/dialog';
import { MatMenuModule } from '@angular/material/menu';
import { Store } from '@ngrx/store';
import type { LightCopy, Source } from '@hone/core/api';
import { SourcesActions, type SourceOrder, type SourcesView } from '../state/actions';
import { mediaFeature } from '../state/media.feature';
import {
  selectAllCopyRows,
  selectFoundSources,
  selectProject,
  selectSources,
  selectUsedIds,
} from '../state/selectors';
import { sourcesPageFeature } from '../state/sources-page.feature';
import { count } from '../formatting/quantities';
import { AddFootage } from './add-footage';
import { AddMediaDialog } from './add-media-dialog';
import { FilterBar } from './filter-bar';
import { SelectionBar } from './selection-bar';
import { NAME_COLUMN, SOURCE_COLUMNS, sorted, type CellContext } from './source-columns';
import { SourceDetail } from './source-detail';
import { SourceGrid } from './source-grid';
import type { SourcePick } from './source-pick';
import { SourceTable } from './source-table';

/** The files of the project: found by filters, in bins, one by one or many at once. */
@Component({
  selector: 'hone-sources-page',
  imports: [
    AddFootage,
    FilterBar,
    MatButtonModule,
    MatButtonToggleModule,
    MatCheckboxModule,
    MatMenuModule,
    SelectionBar,
    SourceDetail,
    SourceGrid,
    SourceTable,
  ],
  templateUrl: './sources-page.html',
  styleUrl: './sources-page.scss',
})
export class SourcesPage {
  private readonly store = inject(Store);
  private readonly dialog = inject(MatDialog);
  readonly project = this.store.selectSignal(selectProject);
  readonly sources = this.store.selectSignal(selectSources);
  private readonly found = this.store.selectSignal(selectFoundSources);
  private readonly uploadShares = this.store.selectSignal(mediaFeature.selectUploads);
  private readonly copyRows = this.store.selectSignal(selectAllCopyRows);
  private readonly used = this.store.selectSignal(selectUsedIds);
  private readonly selectedIds = this.store.selectSignal(sourcesPageFeature.selectSelected);
  private readonly conditions = this.store.selectSignal(sourcesPageFeature.selectConditions);
  private readonly columnIds = this.store.selectSignal(sourcesPageFeature.selectColumns);
  readonly view = this.store.selectSignal(sourcesPageFeature.selectView);
  readonly order = this.store.selectSignal(sourcesPageFeature.selectOrder);
  readonly openId = this.store.selectSignal(sourcesPageFeature.selectOpenId);
  readonly allColumns = SOURCE_COLUMNS;
  readonly columns = computed(() => SOURCE_COLUMNS.filter(({ id }) => this.columnIds().includes(id)));
  readonly selected = computed(() => new Set(this.selectedIds()));
  readonly context = computed((): CellContext => {
    const rows = this.copyRows();
    const used = this.used();
    return { copyOf: ({ id }) => rows.get(id)?.copy ?? null, isUsed: ({ id }) => used.has(id) };
  });
  readonly shown = computed(() => {
    const { column, descending } = this.order();
    const by = [NAME_COLUMN, ...SOURCE_COLUMNS].find(({ id }) => id === column) ?? NAME_COLUMN;
    return sorted(this.found(), by, descending, this.context());
  });
  /** Chosen sources that are still found, in the order of the table. */
  readonly chosen = computed(() => this.shown().filter(({ id }) => this.selected().has(id)));
  readonly opened = computed(() => this.sources().find(({ id }) => id === this.openId()) ?? null);
  readonly openedCopy = computed((): LightCopy | null => {
    const opened = this.opened();
    return opened && this.context().copyOf(opened);
  });
  readonly countText = computed(() => {
    const all = this.sources().length;
    return this.found().length === all
      ? count(all, 'source', 'sources')
      : `${this.found().length} of ${count(all, 'source', 'sources')}`;
  });
  readonly bins = computed(() => {
    const bins = new Map<string, number>();
    for (const { bin } of this.sources()) if (bin) bins.set(bin, (bins.get(bin) ?? 0) + 1);
    return [...bins]
      .map(([name, size]) => ({ name, size }))
      .sort((a, b) => a.name.localeCompare(b.name, 'en', { numeric: true }));
  });
  readonly bin = computed(
    () => this.conditions().find(({ kind, not }) => kind === 'bin' && !not)?.value ?? null,
  );
  readonly uploads = computed(() =>
    Object.entries(this.uploadShares()).map(
      ([name, share]) => `${name} is on its way: ${Math.round(100 * share)} %`,
    ),
  );

  add(): void {
    this.dialog.open(AddMediaDialog, { width: '680px' });
  }

  setView(view: SourcesView): void {
    this.store.dispatch(SourcesActions.viewChosen({ view }));
  }

  setOrder(order: SourceOrder): void {
    this.store.dispatch(SourcesActions.orderChosen({ order }));
  }

  hasColumn(id: string): boolean {
    return this.columnIds().includes(id);
  }

  toggleColumn(id: string): void {
    const chosen = this.hasColumn(id)
      ? this.columnIds().filter((each) => each !== id)
      : [...this.columnIds(), id];
    this.store.dispatch(SourcesActions.columnsChosen({ columns: [...chosen] }));
  }

  toggle({ source: { id }, isRange }: SourcePick): void {
    const ids = this.shown().map((each) => each.id);
    const [from, to] = [ids.indexOf(this.lastId ?? ''), ids.indexOf(id)].toSorted((a, b) => a - b);
    const picked = isRange && from! >= 0 ? ids.slice(from, to! + 1) : [id];
    const others = this.selectedIds().filter((each) => !picked.includes(each));
    // A range is selected as a whole; one alone is selected or deselected.
    this.select(isRange || !this.selected().has(id) ? [...others, ...picked] : others);
    this.lastId = id;
  }

  toggleAll(): void {
    const found = this.shown().map(({ id }) => id);
    this.select(found.every((id) => this.selected().has(id)) ? [] : found);
  }

  open({ id }: Source): void {
    this.store.dispatch(SourcesActions.sourceOpened({ sourceId: this.openId() === id ? null : id }));
  }

  toBin(name: string | null): void {
    const others = this.conditions().filter(({ kind }) => kind !== 'bin');
    const bin = name === null ? [] : [{ kind: 'bin' as const, not: false, value: name }];
    this.store.dispatch(SourcesActions.conditionsChanged({ conditions: [...others, ...bin] }));
  }

  /** The source that was picked last, from which Shift selects on. */
  private lastId: string | null = null;

  private select(selected: readonly string[]): void {
    this.store.dispatch(SourcesActions.selectionChanged({ selected: [...selected] }));
  }
}
