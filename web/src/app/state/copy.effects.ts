import { inject, Injectable } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { catchError, concatMap, EMPTY, from, map, mergeMap, withLatestFrom } from 'rxjs';
import { Api } from '../api/api';
import { CopyActions, ServerActions } from './actions';
import { failed } from './project.effects';
import { selectProject } from './selectors';

/** Asks what light copies would take, and asks for them. */
@Injectable()
export class CopyEffects {
  private readonly actions = inject(Actions);
  private readonly store = inject(Store);
  private readonly api = inject(Api);

  readonly estimate = createEffect(() =>
    this.actions.pipe(
      ofType(CopyActions.estimateAsked),
      withLatestFrom(this.store.select(selectProject)),
      concatMap(([request, project]) =>
        project
          ? from(
              this.api.estimateCopies(project.id, { sourceIds: request.sourceIds, divisor: request.divisor }),
            ).pipe(
              map((estimates) => CopyActions.estimatesMade({ estimates })),
              catchError(failed),
            )
          : EMPTY,
      ),
    ),
  );

  readonly make = createEffect(() =>
    this.actions.pipe(
      ofType(CopyActions.asked),
      withLatestFrom(this.store.select(selectProject)),
      concatMap(([request, project]) =>
        project
          ? from(
              this.api.makeCopies(project.id, { sourceIds: request.sourceIds, divisor: request.divisor }),
            ).pipe(
              mergeMap((copies) => copies.map((copy) => ServerActions.copyChanged({ copy }))),
              catchError(failed),
            )
          : EMPTY,
      ),
    ),
  );

  readonly remove = createEffect(() =>
    this.actions.pipe(
      ofType(CopyActions.removed),
      mergeMap(({ copyId }) =>
        from(this.api.removeCopy(copyId)).pipe(
          map(() => ServerActions.copyGone({ copyId })),
          catchError(failed),
        ),
      ),
    ),
  );
}
