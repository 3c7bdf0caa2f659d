import { Directive, inject, input } from '@angular/core';
import { Router } from '@angular/router';
import { Store } from '@ngrx/store';
import { SourceDrag } from '../sources/source-drag';
import { PlayerActions } from '../state/actions';

/** Time that sources are held over a link before its page opens, ms. */
const HELD_MS = 300;

/** A link that opens the page of the timeline while sources are held over it, so that they can be dropped there. */
@Directive({
  selector: 'a[honeOpensWhileDragging]',
  host: { '(dragenter)': 'enter($event)', '(dragleave)': 'leave()', '(drop)': 'leave()' },
})
export class OpensWhileDragging {
  private readonly drag = inject(SourceDrag);
  private readonly router = inject(Router);
  private readonly store = inject(Store);
  readonly isToTimeline = input.required<boolean>({ alias: 'honeOpensWhileDragging' });
  private timer: ReturnType<typeof setTimeout> | undefined;

  enter(event: DragEvent): void {
    if (!this.isToTimeline() || this.drag.sourcesOf(event).length === 0) return;
    this.leave();
    this.timer = setTimeout(() => {
      // A source that is played alone has no tracks to drop on.
      this.store.dispatch(PlayerActions.subjectChosen({ sourceId: null }));
      void this.router.navigate(['/work']);
    }, HELD_MS);
  }

  leave(): void {
    clearTimeout(this.timer);
  }
}
