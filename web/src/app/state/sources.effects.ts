import { inject, Injectable } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { catchError, concatMap, EMPTY, from, ignoreElements, mergeMap, tap, withLatestFrom } from 'rxjs';
import { Api } from '../api/api';
import { ServerActions, SourcesActions } from './actions';
import { failed } from './project.effects';
import { selectProject } from './selectors';
import { keepColumns } from './sources-page.feature';

/** Changes of sources that the page Sources asks for. */
@Injectable()
export class SourcesEffects {
  private readonly actions = inject(Actions);
  private readonly store = inject(Store);
  private readonly api = inject(Api);

  readonly change = createEffect(() =>
    this.actions.pipe(
      ofType(SourcesActions.changeAsked),
      withLatestFrom(this.store.select(selectProject)),
      concatMap(([{ change }, project]) =>
        project
          ? from(this.api.changeSources(project.id, change)).pipe(
              mergeMap((sources) => sources.map((source) => ServerActions.sourceChanged({ source }))),
              catchError(failed),
            )
          : EMPTY,
      ),
    ),
  );

  readonly remove = createEffect(() =>
    this.actions.pipe(
      ofType(SourcesActions.removalAsked),
      withLatestFrom(this.store.select(selectProject)),
      concatMap(([{ sourceIds }, project]) =>
        project
          ? from(this.api.removeSources(project.id, sourceIds)).pipe(
              mergeMap(() => sourceIds.map((sourceId) => ServerActions.sourceGone({ sourceId }))),
              catchError(failed),
            )
          : EMPTY,
      ),
    ),
  );

  readonly readAgain = createEffect(() =>
    this.actions.pipe(
      ofType(SourcesActions.readingAsked),
      withLatestFrom(this.store.select(selectProject)),
      concatMap(([{ sourceIds }, project]) =>
        project
          ? from(this.api.readSourcesAgain(project.id, sourceIds)).pipe(
              mergeMap((sources) => sources.map((source) => ServerActions.sourceChanged({ source }))),
              catchError(failed),
            )
          : EMPTY,
      ),
    ),
  );

  readonly keepFilters = createEffect(() =>
    this.actions.pipe(
      ofType(SourcesActions.filtersChanged),
      withLatestFrom(this.store.select(selectProject)),
      concatMap(([{ filters }, project]) =>
        project
          ? from(this.api.keepFilters(project.id, filters)).pipe(ignoreElements(), catchError(failed))
          : EMPTY,
      ),
    ),
  );

  readonly keepColumns = createEffect(
    () =>
      this.actions.pipe(
        ofType(SourcesActions.columnsChosen),
        tap(({ columns }) => keepColumns(columns)),
      ),
    { dispatch: false },
  );
}
