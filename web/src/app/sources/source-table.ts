import { ScrollingModule } from '@angular/cdk/scrolling';
import { Component, computed, ElementRef, inject, input, output } from '@angular/core';
import { MatCheckboxModule } from '@angular/material/checkbox';
import type { Source } from '@hone/core/api';
import type { SourceOrder } from '../state/actions';
import { NAME_COLUMN, type CellContext, type SourceColumn } from './source-columns';
import { damageText } from '../formatting/source-words';
import { fittedWidths } from './column-widths';
import { SourceDragged } from './source-drag';
import { Picks, type SourcePick } from './source-pick';

/** Sources as rows; only those in sight are in the page. */
@Component({
  selector: 'hone-source-table',
  imports: [MatCheckboxModule, ScrollingModule, SourceDragged],
  templateUrl: './source-table.html',
  styleUrl: './source-table.scss',
})
export class SourceTable {
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  readonly sources = input.required<readonly Source[]>();
  readonly columns = input.required<readonly SourceColumn[]>();
  readonly context = input.required<CellContext>();
  readonly order = input.required<SourceOrder>();
  readonly selected = input.required<ReadonlySet<string>>();
  readonly openId = input.required<string | null>();
  readonly reordered = output<SourceOrder>();
  readonly toggled = output<SourcePick>();
  readonly allToggled = output();
  readonly opened = output<Source>();

  readonly all = computed(() => [NAME_COLUMN, ...this.columns()]);
  /** As wide as what the columns hold; the name takes the rest. */
  readonly layout = computed(() => {
    const [name, ...widths] = fittedWidths(this.all(), this.sources(), this.context());
    return `34px minmax(${name}px, 1fr) ${widths.map((width) => `${width}px`).join(' ')}`;
  });
  readonly picks = new Picks(this.toggled, this.opened);
  readonly allSelected = computed(() => this.sources().every(({ id }) => this.selected().has(id)));
  readonly someSelected = computed(() => this.sources().some(({ id }) => this.selected().has(id)));
  readonly idOf = (_: number, { id }: Source): string => id;

  sortBy({ id }: SourceColumn): void {
    const { column, descending } = this.order();
    this.reordered.emit({ column: id, descending: column === id && !descending });
  }

  directionOf({ id }: SourceColumn): 'ascending' | 'descending' | null {
    const { column, descending } = this.order();
    return column === id ? (descending ? 'descending' : 'ascending') : null;
  }

  readonly damageText = damageText;

  /** Up and down go from name to name. */
  step(event: KeyboardEvent): void {
    const by = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
    if (by === 0) return;
    const names = [...this.element.querySelectorAll<HTMLElement>('.name')];
    const next = names[names.indexOf(event.target as HTMLElement) + by];
    if (!next) return;
    event.preventDefault();
    next.focus();
  }
}
