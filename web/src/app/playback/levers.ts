import { inject, Injectable } from '@angular/core';
import { Store } from '@ngrx/store';
import { type Tuning, chosenPath, withPath } from '@hone/core/levers';
import type { LostDecoder } from '@hone/player';
import { codecName } from '../formatting/codec-words';
import { PlayerActions, ProjectActions } from '../state/actions';
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

  /** Leaves decoding in software, where a decoder was lost, until someone chooses otherwise. */
  noteLost({ codec, profile, reason }: LostDecoder): void {
    const choices = this.tuning()?.decodePaths;
    if (chosenPath(choices, { codec, profile }) === 'software') return;
    this.move({ decodePaths: withPath(choices, { codec, profile }, 'software') });
    const name = `${codecName(codec)} ${profile}`.trimEnd();
    const message = `The browser’s decoder of ${name} was lost (${reason}), and software plays on. To try hardware again, choose it under Levers, Decoding.`;
    this.store.dispatch(PlayerActions.failed({ message }));
  }

  /** Leaves composing to the processor, where the graphics processor was lost, until someone chooses otherwise. */
  noteLostGraphics(reason: string): void {
    if (this.tuning()?.composeOn === 'processor') return;
    this.move({ composeOn: 'processor' });
    const message = `${reason} The processor composes on. To try the graphics processor again, choose it under Levers, Composing.`;
    this.store.dispatch(PlayerActions.failed({ message }));
  }

  /** Sets all levers at once. */
  set(tuning: Tuning): void {
    this.store.dispatch(ProjectActions.leverMoved({ tuning }));
  }
}
