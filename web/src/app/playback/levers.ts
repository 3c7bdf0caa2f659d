import { inject, Injectable } from '@angular/core';
import { Store } from '@ngrx/store';
import type { Tuning } from '@hone/core/levers';
import { ProjectActions } from '../state/actions';
import { selectTuning } from '../state/selectors';

/** Positions of the levers of the open project. */
@Injectable({ providedIn: 'root' })
export class Levers {
  private readonly store = inject(Store);
  /** null before a project is open. */
  readonly tuning = this.store.selectSignal(selectTuning);

  /** Moves some levers and leaves the others; a preview scale that is set is not automatic any more. */
  move(change: Partial<Tuning>): void {
    const before = this.tuning();
    if (before) this.set({ ...before, ...(change.playScale && { autoScale: undefined }), ...change });
  }

  /** Sets all levers at once. */
  set(tuning: Tuning): void {
    this.store.dispatch(ProjectActions.leverMoved({ tuning }));
  }
}
