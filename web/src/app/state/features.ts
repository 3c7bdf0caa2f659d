import type {
  CopyEstimate,
  ExportRecord,
  Job,
  LightCopy,
  Project,
  ProjectEntry,
  RunRecord,
  ScrubRecord,
  Source,
} from '@hone/core/api';
import type { Timeline } from '@hone/core/timeline';
import type { PlayerState, ShownPixels } from '@hone/player';
import { createEntityAdapter, type EntityState } from '@ngrx/entity';
import { createFeature, createReducer, createSelector, on, type ActionReducerMap } from '@ngrx/store';
import {
  CopyActions,
  ImportActions,
  PlayerActions,
  ProjectActions,
  ServerActions,
  SourcesActions,
} from './actions';
import { editingFeature, type EditingState } from './editing.feature';
import { machineFeature, type MachineState } from './machine.feature';
import { sourcesPageFeature, type SourcesPageState } from './sources-page.feature';

export interface ProjectState {
  readonly list: readonly ProjectEntry[];
  readonly open: Project | null;
  /** The open one as the server has it, as far as that is known. */
  readonly kept: Project | null;
  readonly opening: boolean;
  /** Timelines before the last edits, the newest last. */
  readonly past: readonly Timeline[];
  /** Timelines that were undone, the next to redo last. */
  readonly future: readonly Timeline[];
  /** Edits since the project was opened, and how many of them the server has. */
  readonly edits: number;
  readonly keptEdits: number;
  /** Something that the user must know, as a sentence. */
  readonly notice: string | null;
  /** Whether the notice is of a fault; otherwise it tells what was done. */
  readonly isFault: boolean;
  readonly connected: boolean;
}

/** Edits that can be undone. */
const MOST_PAST = 50;

/** Whether two timelines, or deliveries, say the same. */
const isSame = (one: unknown, other: unknown): boolean => JSON.stringify(one) === JSON.stringify(other);

const refusedText = (isTimeline: boolean): string =>
  `The project was changed in another window: your last ${isTimeline ? 'edit' : 'change'} is not saved. You see the saved version.${isTimeline ? ' Redo restores your edit.' : ''}`;

const noProject: ProjectState = {
  list: [],
  open: null,
  kept: null,
  opening: true,
  past: [],
  future: [],
  edits: 0,
  keptEdits: 0,
  notice: null,
  isFault: false,
  connected: true,
};

export const projectFeature = createFeature({
  name: 'project',
  reducer: createReducer<ProjectState>(
    noProject,
    on(ProjectActions.projectsListed, (state, { projects }) => ({
      ...state,
      list: projects,
      opening: state.opening && projects.length > 0,
    })),
    on(ProjectActions.chosen, (state) => ({ ...state, opening: true })),
    on(ProjectActions.opened, (state, { project }) => ({
      ...state,
      open: project,
      kept: project,
      opening: false,
      past: [],
      future: [],
      edits: 0,
      keptEdits: 0,
      notice: null,
    })),
    on(ProjectActions.failed, PlayerActions.failed, (state, { message }) => ({
      ...state,
      notice: message,
      isFault: true,
      opening: false,
    })),
    on(ProjectActions.told, (state, { message }) => ({ ...state, notice: message, isFault: false })),
    // Nothing is lost: an edit that was refused can be done again, over what another window has kept.
    on(ProjectActions.refused, (state, { project }) => {
      if (state.open?.id !== project.id) return state;
      const isTimeline = !isSame(state.open.timeline, state.kept?.timeline);
      return {
        ...state,
        open: { ...project, tuning: state.open.tuning },
        kept: project,
        future: isTimeline ? [state.open.timeline] : [],
        edits: 0,
        keptEdits: 0,
        notice: refusedText(isTimeline),
        isFault: true,
      };
    }),
    on(ProjectActions.gone, (state, { projectId }) => ({
      ...state,
      list: state.list.filter(({ id }) => id !== projectId),
      ...(state.open?.id === projectId
        ? { open: null, kept: null, past: [], future: [], edits: 0, keptEdits: 0 }
        : {}),
    })),
    on(ProjectActions.noticeRead, (state) => ({ ...state, notice: null })),
    on(ProjectActions.timelineEdited, (state, { timeline }) =>
      state.open
        ? {
            ...state,
            open: { ...state.open, timeline },
            past: [...state.past, state.open.timeline].slice(-MOST_PAST),
            future: [],
            edits: state.edits + 1,
          }
        : state,
    ),
    on(ProjectActions.editUndone, (state) => {
      const timeline = state.past.at(-1);
      return state.open && timeline
        ? {
            ...state,
            open: { ...state.open, timeline },
            past: state.past.slice(0, -1),
            future: [...state.future, state.open.timeline],
            edits: state.edits + 1,
          }
        : state;
    }),
    on(ProjectActions.ancestorOpened, (state, { revision, timeline }) =>
      state.open && state.past.length === 0 && state.open.ancestors[0] === revision
        ? {
            ...state,
            open: { ...state.open, timeline, ancestors: state.open.ancestors.slice(1) },
            future: [...state.future, state.open.timeline],
            edits: state.edits + 1,
          }
        : state,
    ),
    on(ProjectActions.editDoneAgain, (state) => {
      const timeline = state.future.at(-1);
      return state.open && timeline
        ? {
            ...state,
            open: { ...state.open, timeline },
            past: [...state.past, state.open.timeline],
            future: state.future.slice(0, -1),
            edits: state.edits + 1,
          }
        : state;
    }),
    on(SourcesActions.filtersChanged, (state, { filters }) =>
      state.open ? { ...state, open: { ...state.open, filters } } : state,
    ),
    on(ProjectActions.deliveryEdited, (state, { delivery }) =>
      state.open ? { ...state, open: { ...state.open, delivery }, edits: state.edits + 1 } : state,
    ),
    on(ProjectActions.leverMoved, (state, { tuning }) =>
      state.open ? { ...state, open: { ...state.open, tuning } } : state,
    ),
    // While an edit is not kept yet, the news may be of an older save of this very page: the reply to it, or the
    // refusal, settles the matter.
    on(ServerActions.projectChanged, (state, { project }) => {
      const { open, edits, keptEdits } = state;
      const list = state.list.map((entry) =>
        entry.id === project.id ? { ...entry, name: project.name } : entry,
      );
      if (open?.id !== project.id) return { ...state, list };
      // A new name changes no revision.
      const isRenamed = project.revision === open.revision && project.name !== open.name;
      if (isRenamed) return { ...state, list, open: { ...open, name: project.name } };
      if (project.revision <= open.revision || edits > keptEdits) return state;
      // What another window did is an edit like any: undone by itself, so that older ones do not undo it in passing.
      const isEdited = !isSame(open.timeline, project.timeline);
      const history = isEdited ? { past: [...state.past, open.timeline].slice(-MOST_PAST), future: [] } : {};
      return { ...state, list, ...history, kept: project, open: { ...project, tuning: open.tuning } };
    }),
    // Edits since the save began stay; only the revision is taken from the reply.
    on(ProjectActions.kept, (state, { project, edits }) =>
      state.open?.id === project.id
        ? {
            ...state,
            kept: project,
            open: {
              ...state.open,
              revision: project.revision,
              takesFirstShape: project.takesFirstShape,
            },
            keptEdits: edits,
          }
        : state,
    ),
    on(ServerActions.connectionFound, (state) => ({ ...state, connected: true })),
    on(ServerActions.connectionLost, (state) => ({ ...state, connected: false })),
  ),
});

const sourceAdapter = createEntityAdapter<Source>();
const copyAdapter = createEntityAdapter<LightCopy>();
const jobAdapter = createEntityAdapter<Job>();
const exportAdapter = createEntityAdapter<ExportRecord>();

export interface MediaState {
  readonly projectId: string | null;
  readonly sources: EntityState<Source>;
  readonly copies: EntityState<LightCopy>;
  readonly estimates: readonly CopyEstimate[];
  readonly estimating: boolean;
  readonly jobs: EntityState<Job>;
  /** Share of each upload that has arrived, by the file's name. */
  readonly uploads: Readonly<Record<string, number>>;
  /** Sources that go on the timeline once all of them are read, in this order. */
  readonly toPlace: readonly string[];
  readonly exports: EntityState<ExportRecord>;
}

const noMedia: MediaState = {
  projectId: null,
  sources: sourceAdapter.getInitialState(),
  copies: copyAdapter.getInitialState(),
  estimates: [],
  estimating: false,
  jobs: jobAdapter.getInitialState(),
  uploads: {},
  toPlace: [],
  exports: exportAdapter.getInitialState(),
};

const withSource = (state: MediaState, source: Source): MediaState =>
  source.projectId !== state.projectId
    ? state
    : { ...state, sources: sourceAdapter.setOne(source, state.sources) };

export const mediaFeature = createFeature({
  name: 'media',
  reducer: createReducer<MediaState>(
    noMedia,
    on(ProjectActions.opened, (_state, { project, sources, copies, jobs, exports }) => ({
      ...noMedia,
      projectId: project.id,
      sources: sourceAdapter.setAll([...sources], noMedia.sources),
      copies: copyAdapter.setAll([...copies], noMedia.copies),
      jobs: jobAdapter.setAll([...jobs], noMedia.jobs),
      exports: exportAdapter.setAll([...exports], noMedia.exports),
    })),
    // News of a source may be there before the reply that adds it: what was read since then stays.
    on(ImportActions.sourcesAdded, (state, { sources }) =>
      sources
        .filter(({ id, state: its }) => its !== 'expected' || !state.sources.entities[id])
        .reduce(withSource, state),
    ),
    on(ImportActions.placementAsked, (state, { sourceIds }) => ({
      ...state,
      toPlace: [...state.toPlace, ...sourceIds],
    })),
    on(ImportActions.placementEnded, (state) => ({ ...state, toPlace: [] })),
    on(ServerActions.sourceChanged, (state, { source }) => withSource(state, source)),
    on(ServerActions.sourceGone, (state, { sourceId }) => ({
      ...state,
      sources: sourceAdapter.removeOne(sourceId, state.sources),
    })),
    on(ServerActions.copyChanged, (state, { copy }) =>
      copy.projectId === state.projectId
        ? { ...state, copies: copyAdapter.setOne(copy, state.copies) }
        : state,
    ),
    on(ServerActions.copyGone, (state, { copyId }) => ({
      ...state,
      copies: copyAdapter.removeOne(copyId, state.copies),
    })),
    on(ServerActions.jobChanged, (state, { job }) =>
      job.projectId === state.projectId ? { ...state, jobs: jobAdapter.setOne(job, state.jobs) } : state,
    ),
    on(ServerActions.exportChanged, (state, { record }) =>
      record.projectId === state.projectId
        ? { ...state, exports: exportAdapter.setOne(record, state.exports) }
        : state,
    ),
    on(ImportActions.uploadProgressed, (state, { name, share }) => {
      const uploads = { ...state.uploads, [name]: share };
      return {
        ...state,
        uploads: Object.fromEntries(Object.entries(uploads).filter(([, each]) => each < 1)),
      };
    }),
    on(CopyActions.estimateAsked, (state) => ({ ...state, estimating: true })),
    on(CopyActions.estimatesMade, (state, { estimates }) => {
      const isNew = (old: CopyEstimate): boolean =>
        !estimates.some((made) => made.sourceId === old.sourceId && made.divisor === old.divisor);
      return { ...state, estimating: false, estimates: [...state.estimates.filter(isNew), ...estimates] };
    }),
    on(ProjectActions.failed, (state) => ({ ...state, estimating: false })),
  ),
  extraSelectors: ({ selectSources, selectCopies, selectJobs, selectExports }) => ({
    selectSourcesById: createSelector(selectSources, ({ entities }) => entities),
    selectSourceList: createSelector(selectSources, sourceAdapter.getSelectors().selectAll),
    selectCopyList: createSelector(selectCopies, copyAdapter.getSelectors().selectAll),
    selectJobList: createSelector(selectJobs, jobAdapter.getSelectors().selectAll),
    selectExportList: createSelector(selectExports, exportAdapter.getSelectors().selectAll),
  }),
});

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

interface AppState {
  readonly project: ProjectState;
  readonly media: MediaState;
  readonly playback: PlaybackState;
  readonly machine: MachineState;
  readonly sourcesPage: SourcesPageState;
  readonly editing: EditingState;
}

export const features: ActionReducerMap<AppState> = {
  project: projectFeature.reducer,
  media: mediaFeature.reducer,
  playback: playbackFeature.reducer,
  machine: machineFeature.reducer,
  sourcesPage: sourcesPageFeature.reducer,
  editing: editingFeature.reducer,
};
