import { inject, Injectable } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { catchError, concatMap, EMPTY, from, map, mergeMap, withLatestFrom } from 'rxjs';
import { Api } from '../api/api';
import { RenderCacheActions, ServerActions } from './actions';
import { failed } from './project.effects';
import { playbackFeature } from './playback.feature';
import { selectPlan, selectProject } from './selectors';

/** Asks for renders into the render cache, and deletes what is in it. */
@Injectable()
export class RenderCacheEffects {
  private readonly actions = inject(Actions);
  private readonly store = inject(Store);
  private readonly api = inject(Api);

  readonly render = createEffect(() =>
    this.actions.pipe(
      ofType(RenderCacheActions.renderAsked),
      withLatestFrom(
        this.store.select(selectProject),
        this.store.select(selectPlan),
        this.store.select(playbackFeature.selectFrame),
      ),
      concatMap(([{ ranges, point }, project, plan, frame]) =>
        project && plan
          ? from(
              this.api.renderStretches(project.id, {
                ...{ ranges, point, size: plan.preview.playSize },
                keepIds: plan.preview.cached
                  .filter(({ from, to }) => from <= frame && frame < to)
                  .map(({ stretchId }) => stretchId),
              }),
            ).pipe(
              map((job) => ServerActions.jobChanged({ job })),
              catchError(failed),
            )
          : EMPTY,
      ),
    ),
  );

  readonly remove = createEffect(() =>
    this.actions.pipe(
      ofType(RenderCacheActions.removalAsked),
      concatMap(({ ids }) =>
        from(this.api.removeCachedStretches(ids)).pipe(
          mergeMap(() => ids.map((stretchId) => ServerActions.cachedStretchGone({ stretchId }))),
          catchError(failed),
        ),
      ),
    ),
  );
}
