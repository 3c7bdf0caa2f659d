import { inject, Injectable } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { FrameLog, isDisturbed } from '@hone/core/playback';
import type { Source } from '@hone/core/api';
import {
  decodeObservations,
  calibrate,
  UNCALIBRATED,
  refine,
  untriedSources,
  type DecodeFigures,
  type Rig,
} from '@hone/core/rig';
import type { Timeline } from '@hone/core/timeline';
import { currentRenderer, runDecodeTrials } from '@hone/player';
import {
  catchError,
  combineLatest,
  concatMap,
  debounceTime,
  EMPTY,
  exhaustMap,
  filter,
  from,
  ignoreElements,
  map,
  mergeMap,
  switchMap,
  take,
  takeUntil,
  tap,
  withLatestFrom,
} from 'rxjs';
import { Api } from '../api/api';
import { Predictions } from '../prediction/predictions';
import { RigMeasurement } from '../rig/rig-measurement';
import { PlayerActions, RigActions, ServerActions } from './actions';
import { mediaFeature, playbackFeature } from './features';
import { machineFeature } from './machine.feature';
import { failed } from './project.effects';
import { selectBusyJobs, selectPlan, selectProject, selectSources, selectStaleReasons } from './selectors';

/** Quiet that must last before the machine is measured without being asked, and before it is measured thoroughly. */
const QUIET_MS = 4000;
const IDLE_MS = 240_000;
/** The same before sources of unknown kinds are tried. */
const TRIAL_QUIET_MS = 1000;

/** Reads what is known of the machine, and has it measured when it is not known and nothing plays. */
@Injectable()
export class RigEffects {
  private readonly actions = inject(Actions);
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly measurement = inject(RigMeasurement);
  private readonly plan = this.store.selectSignal(selectPlan);
  private readonly predictions = inject(Predictions);

  readonly read = createEffect(() =>
    this.actions.pipe(
      ofType(RigActions.pageOpened, ServerActions.connectionFound),
      switchMap(() =>
        from(
          Promise.all([
            this.api.rigs(),
            this.api.machine(),
            this.api.machineSettings(),
            this.api.simulation(),
          ]),
        ).pipe(
          map(([rigs, now, settings, simulation]) =>
            RigActions.machineRead({ rigs, now, settings, simulation, renderer: currentRenderer() }),
          ),
          catchError(failed),
        ),
      ),
    ),
  );

  readonly measure = createEffect(
    () =>
      this.actions.pipe(
        ofType(RigActions.measurementAsked),
        tap(({ thorough }) => void this.measurement.measure(thorough)),
      ),
    { dispatch: false },
  );

  /** Whoever presses play wants to play: the measurement makes way, and would be disturbed anyway. */
  readonly makeWay = createEffect(
    () =>
      this.actions.pipe(
        ofType(RigActions.measurementCancelled, PlayerActions.runBegun),
        tap(() => this.measurement.cancel()),
      ),
    { dispatch: false },
  );

  private readonly isQuiet = combineLatest([
    this.store.select(selectProject),
    this.store.select(selectBusyJobs),
    this.store.select(playbackFeature.selectState),
    this.store.select(selectSources),
  ]).pipe(
    map(
      ([project, jobs, state, sources]) =>
        project !== null &&
        jobs.length === 0 &&
        state === 'still' &&
        sources.some((source) => source.state === 'ready'),
    ),
  );

  /** A machine that is not known, or has changed, is measured quickly as soon as it is quiet. */
  readonly measureItself = createEffect(() =>
    combineLatest([
      this.store.select(machineFeature.selectMachineState),
      this.store.select(selectStaleReasons),
      this.isQuiet,
    ]).pipe(
      debounceTime(QUIET_MS),
      filter(([{ known, own, now, measuring, problem }, stale, quiet]) => {
        const isWanted = known && (!own || stale.length > 0) && now?.measuresItself === true;
        return isWanted && quiet && !measuring && !problem && !skipped();
      }),
      map(() => RigActions.measurementAsked({ thorough: false })),
    ),
  );

  /** Sources of kinds that the rig does not know are decoded for a moment as soon as nothing plays. */
  readonly tryDecoders = createEffect(() =>
    combineLatest([
      this.store.select(machineFeature.selectMachineState),
      this.store.select(selectSources),
      this.store.select(selectProject),
      this.store.select(playbackFeature.selectState),
    ]).pipe(
      debounceTime(TRIAL_QUIET_MS),
      exhaustMap(([{ own, measuring, now }, sources, project, state]) => {
        const isWanted = own && project && !measuring && state === 'still' && now?.measuresItself === true;
        const placed = isWanted ? placedSources(project.timeline, sources) : [];
        const untried = own ? untriedSources(own, placed) : { browser: [], server: [] };
        if (!isWanted || untried.browser.length + untried.server.length === 0) return EMPTY;
        const abort = new AbortController();
        const onServer = (sourceId: string): Promise<DecodeFigures[]> =>
          this.api.measureServerDecoders(
            { projectId: project.id, thorough: false, sourceIds: [sourceId] },
            abort.signal,
          );
        return from(runDecodeTrials(own, placed, '/player/', onServer, abort.signal)).pipe(
          takeUntil(
            this.actions.pipe(
              ofType(PlayerActions.runBegun),
              tap(() => abort.abort()),
            ),
          ),
          filter((rig) => rig !== own),
          concatMap((rig) => this.api.keepRig(rig)),
          map((rig) => RigActions.measured({ rig })),
          catchError(failed),
        );
      }),
    ),
  );

  /** One that was only measured quickly is measured thoroughly when nothing has happened for a while. */
  readonly deepenItself = createEffect(() =>
    combineLatest([this.store.select(machineFeature.selectMachineState), this.isQuiet]).pipe(
      debounceTime(IDLE_MS),
      filter(([{ own, now, measuring, problem }, quiet]) => {
        return (
          quiet && own?.thoroughness === 'quick' && !measuring && !problem && now?.measuresItself === true
        );
      }),
      map(() => RigActions.measurementAsked({ thorough: true })),
    ),
  );

  readonly skip = createEffect(
    () =>
      this.actions.pipe(
        ofType(RigActions.measurementCancelled),
        tap(() => sessionStorage.setItem(SKIPPED, 'yes')),
      ),
    { dispatch: false },
  );

  /** Every run on this machine tells more of its decoders. */
  readonly refine = createEffect(() =>
    this.actions.pipe(
      ofType(PlayerActions.runFinished),
      withLatestFrom(
        this.store.select(machineFeature.selectOwn),
        this.store.select(selectSources),
        this.store.select(mediaFeature.selectCopies),
      ),
      concatMap(([{ facts, log }, own, sources, copies]) => {
        // Asked for only here: following every edit would make a plan of each.
        const plan = this.plan();
        if (!own || !plan || facts.leversMoved || facts.driveId) return EMPTY;
        const graph = plan.preview.graph;
        const seen = decodeObservations(log, facts, graph, sources, Object.values(copies));
        const taught = this.taught(own, log);
        if (seen.length === 0 && taught === own) return EMPTY;
        const refined = refine(taught, seen, new Date().toISOString());
        // Whether others disturbed it is known when it is kept.
        return this.actions.pipe(
          ofType(PlayerActions.runKept),
          take(1),
          takeUntil(this.actions.pipe(ofType(PlayerActions.runFinished))),
          filter(({ run }) => !isDisturbed(run.facts)),
          concatMap(() =>
            from(this.api.keepRig(refined)).pipe(
              map((rig) => RigActions.measured({ rig })),
              catchError(failed),
            ),
          ),
        );
      }),
    ),
  );

  // A run of the timeline as it was predicted corrects what each stage is taken to cost.
  private taught(own: Rig, log: FrameLog): Rig {
    const predicted = this.predictions.predicted();
    if (!predicted || this.predictions.isWhatIf()) return own;
    const said = new FrameLog(0, predicted.nominalLog);
    if (!said.has(log.firstFrame + log.length - 1)) return own;
    const before = own.calibration ?? UNCALIBRATED;
    return { ...own, calibration: calibrate(before, log, said, predicted.workload.segments) };
  }

  readonly load = createEffect(() =>
    this.actions.pipe(
      ofType(RigActions.fileChosen),
      mergeMap(({ file }) =>
        from(file.text()).pipe(
          mergeMap((text) => from(this.api.loadRig(parsed(text, file.name)))),
          map((rig) => RigActions.rigLoaded({ rig })),
          catchError(failed),
        ),
      ),
    ),
  );

  readonly remove = createEffect(() =>
    this.actions.pipe(
      ofType(RigActions.rigRemoved),
      mergeMap(({ rigId }) => from(this.api.removeRig(rigId)).pipe(ignoreElements(), catchError(failed))),
    ),
  );

  readonly simulate = createEffect(() =>
    this.actions.pipe(
      ofType(RigActions.driveChosen),
      concatMap(({ driveId }) =>
        from(this.api.simulate(driveId)).pipe(
          map((simulation) => ServerActions.simulationChanged({ simulation })),
          catchError(failed),
        ),
      ),
    ),
  );

  readonly setCeiling = createEffect(() =>
    this.actions.pipe(
      ofType(RigActions.ceilingChosen),
      concatMap(({ memoryCeilingBytes }) =>
        from(this.api.setCeiling(memoryCeilingBytes)).pipe(
          map((settings) => RigActions.settingsRead({ settings })),
          catchError(failed),
        ),
      ),
    ),
  );
}

/** Sources that stand on a timeline. */
function placedSources({ tracks }: Timeline, sources: readonly Source[]): Source[] {
  const ids = new Set(tracks.flatMap(({ clips }) => clips.map(({ sourceId }) => sourceId)));
  return sources.filter(({ id }) => ids.has(id));
}

const SKIPPED = 'hone.measurementSkipped';
const skipped = (): boolean => sessionStorage.getItem(SKIPPED) !== null;

function parsed(text: string, name: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    throw new Error(`"${name}" is not a rig: it is not written as JSON. Choose a file that Hone has saved.`);
  }
}
