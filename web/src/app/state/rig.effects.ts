import { inject, Injectable } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { FrameLog, isDisturbed } from '@hone/core/playback';
import { isUnaskedJob, type RunRecord, type Source } from '@hone/core/api';
import { decodeObservations, refine } from '@hone/core/cost-model';
import { roughRig, untriedSources, type DecodeFigures, type Rig } from '@hone/core/machine';
import type { Timeline } from '@hone/core/timeline';
import { currentRenderer, runDecodeTrials } from '@hone/player';
import {
  BehaviorSubject,
  catchError,
  combineLatest,
  concatMap,
  debounceTime,
  distinctUntilChanged,
  EMPTY,
  exhaustMap,
  filter,
  finalize,
  from,
  ignoreElements,
  map,
  mergeMap,
  of,
  switchMap,
  takeUntil,
  tap,
} from 'rxjs';
import { Api } from '../api/api';
import { Predictions } from '../prediction/predictions';
import { BackgroundHold } from '../rig/background-hold';
import { RigMeasurement } from '../rig/rig-measurement';
import { PlayerActions, RenderCacheActions, RigActions, ServerActions } from './actions';
import { mediaFeature } from './media.feature';
import { playbackFeature } from './playback.feature';
import { machineFeature } from './machine.feature';
import { failed } from './project.effects';
import {
  selectBusyJobs,
  selectPlan,
  selectPlayedRun,
  selectProject,
  selectSources,
  selectStaleReasons,
} from './selectors';

/** Quiet that must last before the machine is measured without being asked, and before it is measured thoroughly. */
const QUIET_MS = 4000;
const IDLE_MS = 240_000;
/** The same before sources of unknown kinds are tried. */
const TRIAL_QUIET_MS = 1000;
/** Time of all trials before the machine is measured, ms. */
const FIRST_TRIALS_MS = 5000;

/** Loads the rig of this machine, and measures it where there is none and nothing plays. */
@Injectable()
export class RigEffects {
  private readonly actions = inject(Actions);
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly measurement = inject(RigMeasurement);
  private readonly plan = this.store.selectSignal(selectPlan);
  private readonly played = this.store.selectSignal(selectPlayedRun);
  private readonly own = this.store.selectSignal(machineFeature.selectOwn);
  private readonly sources = this.store.selectSignal(selectSources);
  private readonly copies = this.store.selectSignal(mediaFeature.selectCopyList);
  private readonly predictions = inject(Predictions);
  private readonly hold = inject(BackgroundHold);
  /** Whether sources are being tried, which a measurement would disturb. */
  private readonly isTrying = new BehaviorSubject(false);

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
        ofType(RigActions.measurementCancelled, PlayerActions.runBegun, RenderCacheActions.renderAsked),
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
        // Predictions need the packet indexes.
        jobs.every(({ kind }) => isUnaskedJob(kind) && kind !== 'index') &&
        state === 'still' &&
        sources.some((source) => source.state === 'ready'),
    ),
    // The progress of a job that is held meanwhile changes nothing.
    distinctUntilChanged(),
  );

  /** A machine that is not known, or has changed, is measured quickly as soon as it is quiet. */
  readonly measureItself = createEffect(() =>
    combineLatest([
      this.store.select(machineFeature.selectMachineState),
      this.store.select(selectStaleReasons),
      this.isQuiet,
      this.isTrying,
    ]).pipe(
      debounceTime(QUIET_MS),
      filter(([{ known, own, now, measuring, problem }, stale, quiet, trying]) => {
        const isWanted = known && (!own || stale.length > 0) && now?.measuresItself === true;
        return isWanted && quiet && !trying && !measuring && !problem && !skipped();
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
      exhaustMap(([{ known, own, trials, measuring, now }, sources, project, state]) => {
        const isWanted = known && project && !measuring && state === 'still' && now?.measuresItself === true;
        if (!isWanted) return EMPTY;
        const rig = own ?? { ...roughRig(now.machine), decoders: [...trials] };
        const placed = placedSources(project.timeline, sources);
        const untried = untriedSources(rig, placed);
        if (untried.browser.length + untried.server.length === 0) return EMPTY;
        const abort = new AbortController();
        const signal = own
          ? abort.signal
          : AbortSignal.any([abort.signal, AbortSignal.timeout(FIRST_TRIALS_MS)]);
        const onServer = (sourceId: string): Promise<DecodeFigures[]> =>
          this.api.measureServerDecoders(
            { projectId: project.id, thorough: false, sourceIds: [sourceId] },
            signal,
          );
        this.isTrying.next(true);
        const tried = this.hold.during(() => runDecodeTrials(rig, placed, '/player/', onServer, signal));
        return from(tried).pipe(
          finalize(() => this.isTrying.next(false)),
          takeUntil(
            this.actions.pipe(
              ofType(PlayerActions.runBegun),
              tap(() => abort.abort()),
            ),
          ),
          filter((after) => after !== rig),
          concatMap((after) =>
            own
              ? from(this.api.keepRig(after)).pipe(map((kept) => RigActions.measured({ rig: kept })))
              : of(RigActions.tried({ trials: after.decoders })),
          ),
          catchError(failed),
        );
      }),
    ),
  );

  /** Measures a quickly measured rig thoroughly after a while without input. */
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

  /** Corrects the rig and its calibration after an undisturbed run. */
  readonly learn = createEffect(() =>
    this.actions.pipe(
      ofType(PlayerActions.runKept),
      filter(({ run: { facts } }) => !facts.leversMoved && !facts.driveId && !isDisturbed(facts)),
      concatMap(({ run, log }) =>
        from(this.rigAfter(run, log)).pipe(
          filter((rig) => rig !== null),
          concatMap((rig) => this.api.keepRig(rig)),
          map((rig) => RigActions.measured({ rig })),
          catchError(failed),
        ),
      ),
    ),
  );

  /** Rig of this machine after a run; null where there is none, or where the played sources are gone. */
  private async rigAfter({ id, facts }: RunRecord, log: FrameLog): Promise<Rig | null> {
    // Asked for only here: following every edit would make a plan of each.
    const plan = this.plan();
    if (!plan || this.played()?.id !== id) return null;
    const { graph } = plan.preview;
    const seen = decodeObservations(log, facts, graph, this.sources(), this.copies());
    const calibration = await this.predictions.learn(log, facts);
    const own = this.own();
    if (!own || (seen.length === 0 && !calibration)) return null;
    return refine(calibration ? { ...own, calibration } : own, seen, new Date().toISOString());
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

  readonly changeSettings = createEffect(() =>
    this.actions.pipe(
      ofType(RigActions.settingsChosen),
      concatMap(({ change }) =>
        from(this.api.changeMachine(change)).pipe(
          map((settings) => RigActions.settingsRead({ settings })),
          catchError(failed),
        ),
      ),
    ),
  );
}

/** Sources on a timeline. */
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
