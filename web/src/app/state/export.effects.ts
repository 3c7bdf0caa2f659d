import { inject, Injectable } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { catchError, EMPTY, exhaustMap, from, map, withLatestFrom } from 'rxjs';
import { Api } from '../api/api';
import { ExportActions, ServerActions } from './actions';
import { failed } from './project.effects';
import { selectProject } from './selectors';

@Injectable()
export class ExportEffects {
  private readonly actions = inject(Actions);
  private readonly store = inject(Store);
  private readonly api = inject(Api);

  readonly start = createEffect(() =>
    this.actions.pipe(
      ofType(ExportActions.asked),
      withLatestFrom(this.store.select(selectProject)),
      exhaustMap(([, project]) =>
        project
          ? from(this.api.startExport(project.id)).pipe(
              map((record) => ServerActions.exportChanged({ record })),
              catchError(failed),
            )
          : EMPTY,
      ),
    ),
  );
}
