import type { OutputEmitterRef } from '@angular/core';
import type { Source } from '@hone/core/api';

/** A source that is selected or deselected, alone or with all from the one before to it. */
export interface SourcePick {
  readonly source: Source;
  readonly isRange: boolean;
}

/** Presses in lists of sources: with Shift a range, with Ctrl one more, on a name alone its details. */
export class Picks {
  private hasShift = false;

  constructor(
    private readonly toggled: OutputEmitterRef<SourcePick>,
    private readonly opened: OutputEmitterRef<Source>,
  ) {}

  /** A press on a checkbox, whose change does not tell the keys that are held. */
  press({ shiftKey }: MouseEvent): void {
    this.hasShift = shiftKey;
  }

  toggle(source: Source): void {
    this.toggled.emit({ source, isRange: this.hasShift });
    this.hasShift = false;
  }

  click(source: Source, { shiftKey, ctrlKey, metaKey }: MouseEvent): void {
    if (shiftKey || ctrlKey || metaKey) this.toggled.emit({ source, isRange: shiftKey });
    else this.opened.emit(source);
  }
}
