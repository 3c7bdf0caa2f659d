import type { MachineNow, MachineSettings } from '@hone/core/api';
import type { DecodeFigures, Rig } from '@hone/core/machine';
import { createFeature, createReducer, on } from '@ngrx/store';
import { RigActions, ServerActions, type Measuring } from './actions';

export interface MachineState {
  /** Whether the machine was asked about. */
  readonly known: boolean;
  readonly own: Rig | null;
  /** Figures of sources that were decoded for a moment before the machine was measured. */
  readonly trials: readonly DecodeFigures[];
  readonly loaded: readonly Rig[];
  /** The rig that the page shows; null for the one measured here. */
  readonly chosenId: string | null;
  /** The rig that the timeline is predicted on; null for the one measured here. */
  readonly whatIfRigId: string | null;
  readonly now: MachineNow | null;
  /** The graphics processor that the browser draws with now. */
  readonly renderer: string;
  readonly settings: MachineSettings | null;
  /** The simulated drive that media are read through; null for the real ones. */
  readonly driveId: string | null;
  readonly measuring: Measuring | null;
  /** Why the last measurement ended early. */
  readonly problem: string | null;
}

const unknown: MachineState = {
  known: false,
  own: null,
  trials: [],
  loaded: [],
  chosenId: null,
  whatIfRigId: null,
  now: null,
  renderer: '',
  settings: null,
  driveId: null,
  measuring: null,
  problem: null,
};

export const machineFeature = createFeature({
  name: 'machine',
  reducer: createReducer<MachineState>(
    unknown,
    on(RigActions.machineRead, (state, { rigs, now, settings, simulation, renderer }) => ({
      ...state,
      known: true,
      ...rigs,
      now,
      settings,
      renderer,
      driveId: simulation.driveId,
    })),
    on(ServerActions.simulationChanged, (state, { simulation }) => ({
      ...state,
      driveId: simulation.driveId,
    })),
    on(ServerActions.hardwareLost, (state, { reason }) => ({
      ...state,
      settings: state.settings && { ...state.settings, hardwareLost: reason },
    })),
    on(RigActions.measurementProgressed, (state, { measuring }) => ({ ...state, measuring, problem: null })),
    on(RigActions.measurementEnded, (state, { message }) => ({
      ...state,
      measuring: null,
      problem: message,
    })),
    on(RigActions.measured, (state, { rig }) => ({
      ...{ ...state, own: rig, measuring: null, problem: null },
      // What was measured is tried again.
      settings: state.settings && { ...state.settings, hardwareLost: null },
    })),
    on(RigActions.tried, (state, { trials }) => ({ ...state, trials })),
    on(RigActions.rigChosen, (state, { rigId }) => ({ ...state, chosenId: rigId === 'own' ? null : rigId })),
    on(RigActions.rigPutUnder, (state, { rigId }) => ({ ...state, whatIfRigId: rigId })),
    on(RigActions.rigLoaded, (state, { rig }) => ({
      ...state,
      loaded: [...state.loaded, rig],
      chosenId: rig.id,
    })),
    on(RigActions.rigRemoved, (state, { rigId }) => ({
      ...state,
      loaded: state.loaded.filter(({ id }) => id !== rigId),
      chosenId: state.chosenId === rigId ? null : state.chosenId,
      whatIfRigId: state.whatIfRigId === rigId ? null : state.whatIfRigId,
    })),
    on(RigActions.settingsRead, (state, { settings }) => ({ ...state, settings })),
  ),
});
