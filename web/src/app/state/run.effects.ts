import { inject, Injectable } from '@angular/core';
import { toObservable } from '@angular/core/rxjs-interop';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import {
  catchError,
  concatMap,
  debounceTime,
  EMPTY,
  from,
  ignoreElements,
  map,
  mergeMap,
  switchMap,
  withLatestFrom,
} from 'rxjs';
import { findingsOfRun } from '@hone/core/findings';
import { Api } from '../api/api';
import { RunLogs } from '../playback/run-logs';
import { Predictions } from '../prediction/predictions';
import { PlayerActions } from './actions';
import { playbackFeature } from './playback.feature';
import { failed } from './project.effects';
import { selectProject } from './selectors';

/** Predictions follow each other until a run has calibrated the rig. */
const SETTLED_MS = 1500;

/** Keeps runs. */
@Injectable()
export class RunEffects {
  private readonly actions = inject(Actions);
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly logs = inject(RunLogs);
  private readonly predictions = inject(Predictions);

  readonly keep = createEffect(() =>
    this.actions.pipe(
      ofType(PlayerActions.runFinished),
      withLatestFrom(this.store.select(selectProject)),
      concatMap(([{ facts, log, pressedAt }, project]) =>
        project
          ? from(this.api.keepRun(project.id, { facts, log: base64(log.values), pressedAt })).pipe(
              map((run) => {
                this.logs.remember(run.id, log);
                return PlayerActions.runKept({ run, log });
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

  /** Saves the findings of a run with it, once the calibration includes that run. */
  readonly keepFindings = createEffect(() =>
    toObservable(this.predictions.predicted).pipe(
      debounceTime(SETTLED_MS),
      withLatestFrom(this.store.select(playbackFeature.selectRuns)),
      concatMap(([predicted, runs]) => {
        const run = runs.find(({ id }) => id === predicted?.runId);
        if (!predicted || run?.findings !== null) return EMPTY;
        return from(this.api.keepFindings(run.id, findingsOfRun(predicted.findings))).pipe(
          map((kept) => PlayerActions.runChanged({ run: kept })),
          catchError(failed),
        );
      }),
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
