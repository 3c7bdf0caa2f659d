import type { Project, ProjectEntry } from '@hone/core/api';
import type { Timeline } from '@hone/core/timeline';
import { createFeature, createReducer, on } from '@ngrx/store';
import { PlayerActions, ProjectActions, ServerActions, SourcesActions } from './actions';

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
