import { Directive, inject, Injectable, input } from '@angular/core';
import { Store } from '@ngrx/store';
import type { Source } from '@hone/core/api';
import { selectSources } from '../state/selectors';

/** Type of the data of a drag that holds sources of the open project. */
const DRAG_TYPE = 'application/x-hone-sources';

/** Sources that are dragged over pages: from a list of sources to the timeline. */
@Injectable({ providedIn: 'root' })
export class SourceDrag {
  private readonly known = inject(Store).selectSignal(selectSources);
  private ids: readonly string[] = [];

  /** @param selected identifiers of the sources that go along, where the dragged one is among them */
  begin({ dataTransfer }: DragEvent, source: Source, selected: ReadonlySet<string>): void {
    if (!dataTransfer || !source.facts) return;
    this.ids = selected.has(source.id)
      ? this.known()
          .filter(({ id }) => selected.has(id))
          .map(({ id }) => id)
      : [source.id];
    dataTransfer.effectAllowed = 'copy';
    dataTransfer.setData(DRAG_TYPE, this.ids.join());
    dataTransfer.setData('text/plain', source.name);
  }

  /** The sources of a drag; none for a drag of something else. */
  sourcesOf({ dataTransfer }: DragEvent): readonly Source[] {
    if (!dataTransfer?.types.includes(DRAG_TYPE)) return [];
    return this.known().filter(({ id, facts }) => facts !== null && this.ids.includes(id));
  }
}

/** A source in a list that can be dragged, with all that are selected where it is one of them. */
@Directive({
  selector: '[honeSourceDrag]',
  host: { '[draggable]': 'source().facts !== null', '(dragstart)': 'begin($event)' },
})
export class SourceDragged {
  private readonly drag = inject(SourceDrag);
  readonly source = input.required<Source>({ alias: 'honeSourceDrag' });
  readonly selected = input.required<ReadonlySet<string>>();

  begin(event: DragEvent): void {
    this.drag.begin(event, this.source(), this.selected());
  }
}
