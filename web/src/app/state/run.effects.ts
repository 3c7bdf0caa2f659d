import { inject, Injectable } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import {
  catchError,
  concatMap,
  EMPTY,
  from,
  ignoreElements,
  map,
  mergeMap,
  switchMap,
  withLatestFrom,
} from 'rxjs';
import { Api } from '../api/api';
import { RunLogs } from '../playback/run-logs';
import { PlayerActions } from './actions';
import { failed } from './project.effects';
import { selectProject } from './selectors';

/** Keeps runs. */
@Injectable()
export class RunEffects {
  private readonly actions = inject(Actions);
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly logs = inject(RunLogs);

  readonly keep = createEffect(() =>
    this.actions.pipe(
      ofType(PlayerActions.runFinished),
      withLatestFrom(this.store.select(selectProject)),
      concatMap(([{ facts, log, pressedAt }, project]) =>
        project
          ? from(this.api.keepRun(project.id, { facts, log: base64(log.values), pressedAt })).pipe(
              map((run) => {
                this.logs.remember(run.id, log);
                return PlayerActions.runKept({ run });
              }),
              catchError(failed),
            )
          : EMPTY,
      ),
    ),
  );

  readonly sample = createEffect(() =>
    this.actions.pipe(
      ofType(PlayerActions.runBegun),
      mergeMap(() => from(this.api.startSampling()).pipe(ignoreElements(), catchError(failed))),
    ),
  );

  readonly note = createEffect(() =>
    this.actions.pipe(
      ofType(PlayerActions.runNoted),
      concatMap(({ runId, notes }) =>
        from(this.api.noteRun(runId, notes)).pipe(
          map((run) => PlayerActions.runChanged({ run })),
          catchError(failed),
        ),
      ),
    ),
  );

  readonly keepScrub = createEffect(() =>
    this.actions.pipe(
      ofType(PlayerActions.scrubbed),
      withLatestFrom(this.store.select(selectProject)),
      concatMap(([{ facts }, project]) =>
        project
          ? from(this.api.keepScrub(project.id, facts)).pipe(
              map((scrub) => PlayerActions.scrubKept({ scrub })),
              catchError(failed),
            )
          : EMPTY,
      ),
    ),
  );

  readonly remove = createEffect(() =>
    this.actions.pipe(
      ofType(PlayerActions.runRemoved),
      mergeMap(({ runId }) =>
        from(this.api.removeRun(runId)).pipe(
          switchMap(() => EMPTY),
          catchError(failed),
        ),
      ),
    ),
  );
}

const CHUNK = 0x8000;

function base64(values: Float32Array): string {
  const bytes = new Uint8Array(values.buffer, values.byteOffset, values.byteLength);
  let text = '';
  for (let at = 0; at < bytes.length; at += CHUNK)
    text += String.fromCharCode(...bytes.subarray(at, at + CHUNK));
  return btoa(text);
}
