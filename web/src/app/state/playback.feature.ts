import type { RunRecord, ScrubRecord } from '@hone/core/api';
import type { PlayerState, ShownPixels } from '@hone/player';
import { createFeature, createReducer, on } from '@ngrx/store';
import { PlayerActions, ProjectActions, type Filling } from './actions';

export interface PlaybackState {
  readonly state: PlayerState;
  /** The frame at rest, or where playing began. */
  readonly frame: number;
  /** Size and origins of the picture in the viewer. */
  readonly pixels: ShownPixels | null;
  readonly inFrame: number | null;
  readonly outFrame: number | null;
  readonly runs: readonly RunRecord[];
  /** The run on the work page, and the one beside it. */
  readonly runId: string | null;
  readonly beforeId: string | null;
  readonly scrubs: readonly ScrubRecord[];
  /** The source that is played alone; null for the timeline. */
  readonly subjectId: string | null;
  /** Playhead of the timeline when a source took its place. */
  readonly leftAt: number;
  /** Sources that the subject shows or sounds, in order of first use. */
  readonly seenIds: readonly string[];
  /** Frames that the last run dropped and that are being made; null when none are. */
  readonly filling: Filling | null;
}

const atRest: PlaybackState = {
  state: 'still',
  frame: 0,
  pixels: null,
  inFrame: null,
  outFrame: null,
  runs: [],
  runId: null,
  beforeId: null,
  scrubs: [],
  subjectId: null,
  leftAt: 0,
  seenIds: [],
  filling: null,
};

/** The two newest runs of the current subject. */
function newest(
  runs: readonly RunRecord[],
  subjectId: string | null,
): Pick<PlaybackState, 'runId' | 'beforeId'> {
  const own = runs.filter(({ facts }) => facts.subjectId === subjectId);
  return { runId: own[0]?.id ?? null, beforeId: own[1]?.id ?? null };
}

export const playbackFeature = createFeature({
  name: 'playback',
  reducer: createReducer<PlaybackState>(
    atRest,
    on(ProjectActions.opened, (_state, { runs, scrubs }) => ({
      ...atRest,
      runs,
      scrubs,
      ...newest(runs, null),
    })),
    on(PlayerActions.subjectChosen, (state, { sourceId }) => {
      const leftAt = state.subjectId === null ? state.frame : state.leftAt;
      return {
        ...state,
        subjectId: sourceId,
        leftAt,
        frame: sourceId === null ? leftAt : 0,
        inFrame: null,
        outFrame: null,
        ...newest(state.runs, sourceId),
      };
    }),
    on(PlayerActions.scrubKept, (state, { scrub }) => ({ ...state, scrubs: [scrub, ...state.scrubs] })),
    on(PlayerActions.runChanged, (state, { run }) => ({
      ...state,
      runs: state.runs.map((each) => (each.id === run.id ? run : each)),
    })),
    on(PlayerActions.stateChanged, (state, { state: now, frame }) => ({ ...state, state: now, frame })),
    on(PlayerActions.planGiven, (state, { sourceIds }) =>
      sourceIds.join() === state.seenIds.join() ? state : { ...state, seenIds: sourceIds },
    ),
    on(PlayerActions.pictureAtRest, (state, { frame }) => ({ ...state, frame })),
    on(PlayerActions.pixelsChanged, (state, { pixels }) => ({ ...state, pixels })),
    on(PlayerActions.fillingChanged, (state, { filling }) => ({ ...state, filling })),
    on(PlayerActions.placeAsked, (state, { frame }) => ({ ...state, frame })),
    on(PlayerActions.marksSet, (state, { inFrame, outFrame }) => ({ ...state, inFrame, outFrame })),
    on(PlayerActions.runKept, (state, { run }) => ({
      ...state,
      runs: [run, ...state.runs],
      runId: run.id,
      beforeId: state.runId,
    })),
    on(PlayerActions.runRemoved, (state, { runId }) => {
      const runs = state.runs.filter(({ id }) => id !== runId);
      const keep = (id: string | null): string | null => (id === runId ? null : id);
      return {
        ...state,
        runs,
        runId: keep(state.runId) ?? runs[0]?.id ?? null,
        beforeId: keep(state.beforeId),
      };
    }),
    on(PlayerActions.runsCompared, (state, { runId, beforeId }) => ({ ...state, runId, beforeId })),
  ),
});
