import { Directive, inject } from '@angular/core';
import { MatSelect } from '@angular/material/select';

/**
 * After a choice by the pointer, the keys are those of the page again: the space bar plays, and does not open the choice
 * anew. One that was reached by the keyboard keeps the focus.
 */
@Directive({ selector: 'mat-select[honeReleasesFocus]', host: { '(closed)': 'release()' } })
export class ReleasesFocus {
  private readonly element = inject(MatSelect)._elementRef.nativeElement as HTMLElement;

  release(): void {
    setTimeout(() => {
      if (!this.element.matches(':focus-visible')) this.element.blur();
    });
  }
}
