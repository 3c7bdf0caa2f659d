import { ScrollingModule } from '@angular/cdk/scrolling';
import {
  afterNextRender,
  Component,
  computed,
  DestroyRef,
  ElementRef,
  inject,
  input,
  output,
  signal,
} from '@angular/core';
import { MatCheckboxModule } from '@angular/material/checkbox';
import type { Source } from '@hone/core/api';
import { shownSize } from '@hone/core/media';

import { pixels } from '../formatting/quantities';
import { lengthText } from '../formatting/source-words';
import { SourceDragged } from './source-drag';
import { Picks, type SourcePick } from './source-pick';
import { StripPicture, stripOf, stripText } from './strip-picture';

const CARD_WIDTH = 200;

/** Sources as pictures, in rows; only those in sight are in the page. */
@Component({
  selector: 'hone-source-grid',
  imports: [MatCheckboxModule, ScrollingModule, SourceDragged, StripPicture],
  template: `
    <cdk-virtual-scroll-viewport [itemSize]="rowHeight()" minBufferPx="600" maxBufferPx="900">
      <div
        *cdkVirtualFor="let row of rows()"
        class="row"
        [style.height.px]="rowHeight()"
        [style.--per-row]="perRow()"
      >
        @for (source of row; track source.id) {
          <div
            class="card"
            [honeSourceDrag]="source"
            [selected]="selected()"
            [class.open]="openId() === source.id"
          >
            <hone-strip-picture [strip]="stripOf(source)" [emptyText]="stripText(source)" />
            <div class="line">
              <mat-checkbox
                [checked]="selected().has(source.id)"
                (mousedown)="picks.press($event)"
                (change)="picks.toggle(source)"
                [aria-label]="'Choose ' + source.name"
              />
              <button type="button" class="name" [title]="source.name" (click)="picks.click(source, $event)">
                {{ source.name }}
              </button>
            </div>
            <span class="quiet about">{{ about(source) }}</span>
          </div>
        }
      </div>
    </cdk-virtual-scroll-viewport>
  `,
  styleUrl: './source-grid.scss',
})
export class SourceGrid {
  readonly stripOf = stripOf;
  readonly stripText = stripText;
  readonly sources = input.required<readonly Source[]>();
  readonly selected = input.required<ReadonlySet<string>>();
  readonly openId = input.required<string | null>();
  readonly toggled = output<SourcePick>();
  readonly opened = output<Source>();
  readonly picks = new Picks(this.toggled, this.opened);
  private readonly width = signal(CARD_WIDTH);
  readonly perRow = computed(() => Math.max(1, Math.floor(this.width() / CARD_WIDTH)));
  readonly rowHeight = computed(() => Math.round(((this.width() / this.perRow() - 12) * 9) / 16) + 62);
  readonly rows = computed(() => {
    const perRow = this.perRow();
    const sources = this.sources();
    const count = Math.ceil(sources.length / perRow);
    return Array.from({ length: count }, (_, row) => sources.slice(row * perRow, (row + 1) * perRow));
  });

  constructor() {
    const element = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
    const destroy = inject(DestroyRef);
    afterNextRender(() => {
      const observer = new ResizeObserver(() => this.width.set(element.clientWidth));
      observer.observe(element);
      destroy.onDestroy(() => observer.disconnect());
    });
  }

  about({ facts, state }: Source): string {
    if (!facts) return state;
    return [...(facts.picture ? [pixels(shownSize(facts.picture))] : []), lengthText(facts)].join(' · ');
  }
}
