import type { CachedStretchRecord, CopyEstimate, ExportRecord, Job, LightCopy, Source } from '@hone/core/api';
import { createEntityAdapter, type EntityState } from '@ngrx/entity';
import { createFeature, createReducer, createSelector, on } from '@ngrx/store';
import { CopyActions, ImportActions, ProjectActions, ServerActions } from './actions';

const sourceAdapter = createEntityAdapter<Source>();
const copyAdapter = createEntityAdapter<LightCopy>();
const stretchAdapter = createEntityAdapter<CachedStretchRecord>();
const jobAdapter = createEntityAdapter<Job>();
const exportAdapter = createEntityAdapter<ExportRecord>();

export interface MediaState {
  readonly projectId: string | null;
  readonly sources: EntityState<Source>;
  readonly copies: EntityState<LightCopy>;
  /** The render cache, of all projects. */
  readonly stretches: EntityState<CachedStretchRecord>;
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
  stretches: stretchAdapter.getInitialState(),
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
    on(ProjectActions.opened, (_state, { project, sources, copies, stretches, jobs, exports }) => ({
      ...noMedia,
      projectId: project.id,
      sources: sourceAdapter.setAll([...sources], noMedia.sources),
      copies: copyAdapter.setAll([...copies], noMedia.copies),
      stretches: stretchAdapter.setAll([...stretches], noMedia.stretches),
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
    on(ServerActions.stretchCached, (state, { stretch }) => ({
      ...state,
      stretches: stretchAdapter.setOne(stretch, state.stretches),
    })),
    on(ServerActions.cachedStretchGone, (state, { stretchId }) => ({
      ...state,
      stretches: stretchAdapter.removeOne(stretchId, state.stretches),
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
  extraSelectors: ({ selectSources, selectCopies, selectStretches, selectJobs, selectExports }) => ({
    selectSourcesById: createSelector(selectSources, ({ entities }) => entities),
    selectSourceList: createSelector(selectSources, sourceAdapter.getSelectors().selectAll),
    selectCopyList: createSelector(selectCopies, copyAdapter.getSelectors().selectAll),
    selectStretchList: createSelector(selectStretches, stretchAdapter.getSelectors().selectAll),
    selectJobList: createSelector(selectJobs, jobAdapter.getSelectors().selectAll),
    selectExportList: createSelector(selectExports, exportAdapter.getSelectors().selectAll),
  }),
});
