import type { CachedStretchRecord, CopyEstimate, Job, LightCopy, RunRecord, Source } from '@hone/core/api';
import { showAlike, withoutTrackLevers, type Tuning } from '@hone/core/levers';
import {
  copySize,
  matches,
  placeable,
  shownSize,
  type CopyDivisor,
  type FilterContext,
} from '@hone/core/media';
import { copyDivisorFor } from '@hone/core/render';
import {
  fingerprintDifferences,
  soloTimeline,
  timelineLength,
  timelineFingerprint,
  type FingerprintPart,
  type FrameRange,
  type Timeline,
} from '@hone/core/timeline';
import { cachedPartRanges, cachedRanges, copiedSources, planFor } from '@hone/player';
import { createSelector } from '@ngrx/store';
import {
  chosenDecoders,
  composingOn,
  roughRig,
  type ChosenDecoders,
  simulatedDrive,
  staleReasons,
} from '@hone/core/machine';
import { mediaFeature } from './media.feature';
import { playbackFeature } from './playback.feature';
import { projectFeature } from './project.feature';
import { machineFeature } from './machine.feature';
import { sourcesPageFeature } from './sources-page.feature';

export const selectProject = projectFeature.selectOpen;

export const selectSources: (state: object) => readonly Source[] = mediaFeature.selectSourceList;
export const selectCopies: (state: object) => readonly LightCopy[] = mediaFeature.selectCopyList;
export const selectStretches: (state: object) => readonly CachedStretchRecord[] =
  mediaFeature.selectStretchList;

/** The source that is played alone, if one is. */
export const selectSubject = createSelector(
  playbackFeature.selectSubjectId,
  mediaFeature.selectSourcesById,
  (id, sources) => (id === null ? null : (sources[id] ?? null)),
);

/** The subject of playback: the project's timeline, or one source alone as a timeline of its own. */
export const selectTimeline = createSelector(selectProject, selectSubject, (project, subject) =>
  project && subject?.facts
    ? soloTimeline(placeable(subject.id, subject.name, subject.facts), {
        rate: subject.facts.picture?.rate ?? project.timeline.rate,
        size: subject.facts.picture ? shownSize(subject.facts.picture) : project.timeline.size,
      })
    : (project?.timeline ?? null),
);
export const selectTuning = createSelector(selectProject, (project) => project?.tuning ?? null);

/** The levers as they act on the subject of playback. */
export const selectPlayedTuning = createSelector(selectTuning, selectSubject, (tuning, subject) =>
  tuning && subject ? withoutTrackLevers(tuning) : tuning,
);

export const selectLength = createSelector(selectTimeline, (timeline) =>
  timeline ? timelineLength(timeline) : 0,
);

/** Rig of this machine with the decoders that were tried on it; null before the machine is known. */
export const selectKnownRig = createSelector(
  machineFeature.selectOwn,
  machineFeature.selectTrials,
  machineFeature.selectNow,
  (own, trials, now) => own ?? (now && { ...roughRig(now.machine), decoders: [...trials] }),
);

/** What decodes each source, as one text: each run changes the rig, and rarely this. */
const selectDecodersText = createSelector(
  selectKnownRig,
  selectSources,
  selectTuning,
  (rig, sources, tuning) =>
    JSON.stringify(rig ? chosenDecoders(rig, sources, tuning?.decodePaths) : { sources: {} }),
);

export const selectDecoders = createSelector(
  selectDecodersText,
  (text) => JSON.parse(text) as ChosenDecoders,
);

/** What composes frames: as chosen, or as measured. */
export const selectComposeOn = createSelector(selectKnownRig, selectTuning, (rig, tuning) =>
  rig ? composingOn(rig, tuning?.composeOn) : (tuning?.composeOn ?? 'processor'),
);

/** Plan for the player; null before a project is open. */
export const selectPlan = createSelector(
  selectTimeline,
  selectPlayedTuning,
  selectSources,
  selectCopies,
  selectDecoders,
  selectStretches,
  selectComposeOn,
  (timeline, tuning, sources, copies, decoders, stretches, composeOn) =>
    timeline && tuning ? planFor(timeline, tuning, sources, copies, decoders, stretches, composeOn) : null,
);

/** Jobs that wait or run, those that run first. */
export const selectBusyJobs = createSelector(mediaFeature.selectJobList, (jobs): readonly Job[] =>
  jobs
    .filter(({ state }) => state === 'running' || state === 'waiting')
    .sort(
      (a, b) =>
        Number(b.state === 'running') - Number(a.state === 'running') ||
        a.createdAt.localeCompare(b.createdAt),
    ),
);

export const selectFailedJobs = createSelector(mediaFeature.selectJobList, (jobs): readonly Job[] =>
  jobs
    .filter(({ state }) => state === 'failed')
    .sort((a, b) => b.createdAt.localeCompare(a.createdAt))
    .slice(0, 5),
);

/** A source of the timeline with the light copy that there is of it, or that would fit it. */
export interface CopyRow {
  readonly source: Source;
  readonly copy: LightCopy | null;
  /** Further copies of it: of other sizes, and stale ones. */
  readonly others: readonly LightCopy[];
  readonly job: Job | null;
  readonly divisor: CopyDivisor;
  readonly size: { readonly width: number; readonly height: number };
  readonly estimate: CopyEstimate | null;
}

type CopyRowOf = (source: Source) => CopyRow | null;

/** The light copy of each source, or the one that would be made at the copy size of the project. */
const copyRowsFor = (
  timeline: Timeline | null,
  tuning: Tuning | null,
  copies: readonly LightCopy[],
  jobs: readonly Job[],
  estimates: readonly CopyEstimate[],
): CopyRowOf => {
  if (!timeline || !tuning) return () => null;
  return (source) => {
    if (!source.facts?.picture || source.state !== 'ready') return null;
    const divisor = copyDivisorFor(timeline, tuning, source.id, source.facts);
    const own = copies.filter((copy) => copy.sourceId === source.id);
    const usable = own.filter(({ state }) => state !== 'stale').toSorted((a, b) => b.width - a.width);
    const copy =
      usable.find((each) => each.divisor === divisor) ??
      usable.find(({ state }) => state === 'ready') ??
      usable[0] ??
      null;
    const isBusy = ({ kind, subjectId, state }: Job): boolean =>
      kind === 'copy' && subjectId === copy?.id && (state === 'running' || state === 'waiting');
    const estimate = estimates.find((each) => each.sourceId === source.id && each.divisor === divisor);
    return {
      source,
      copy,
      others: own.filter(({ id }) => id !== copy?.id),
      job: jobs.find(isBusy) ?? null,
      divisor,
      size: copySize(shownSize(source.facts.picture), divisor),
      estimate: estimate ?? null,
    };
  };
};

const selectCopyRowOf = createSelector(
  selectTimeline,
  selectTuning,
  selectCopies,
  mediaFeature.selectJobList,
  mediaFeature.selectEstimates,
  copyRowsFor,
);

/** Sources of the subject and their copies. */
export const selectCopyRows = createSelector(
  playbackFeature.selectSeenIds,
  mediaFeature.selectSourcesById,
  selectCopyRowOf,
  (seenIds, sources, rowOf): readonly CopyRow[] =>
    seenIds.flatMap((id) => {
      const source = sources[id];
      const row = source && rowOf(source);
      return row ? [row] : [];
    }),
);

/** The same for every source of the project, by its identifier, whether it is used or not. */
export const selectAllCopyRows = createSelector(
  selectProject,
  selectTuning,
  selectSources,
  selectCopies,
  mediaFeature.selectJobList,
  mediaFeature.selectEstimates,
  (project, tuning, sources, copies, jobs, estimates): ReadonlyMap<string, CopyRow> => {
    const rowOf = copyRowsFor(project?.timeline ?? null, tuning, copies, jobs, estimates);
    const rows = sources.map((source) => rowOf(source)).filter((row) => row !== null);
    return new Map(rows.map((row) => [row.source.id, row]));
  },
);

/** Identifiers of the sources that the project's timeline uses. */
export const selectUsedIds = createSelector(selectProject, (project): ReadonlySet<string> => {
  const clips = project?.timeline.tracks.flatMap((track) => track.clips) ?? [];
  return new Set(clips.map(({ sourceId }) => sourceId));
});

/** Reference values of the filters of the page Sources. */
const selectFilterContext = createSelector(
  selectProject,
  selectUsedIds,
  selectCopies,
  machineFeature.selectOwn,
  machineFeature.selectDriveId,
  (project, usedIds, copies, rig, driveId): FilterContext | null =>
    project && {
      workingSize: project.timeline.size,
      rate: project.timeline.rate,
      usedIds,
      copies,
      driveReads: (drive) =>
        simulatedDrive(driveId)?.readBytesPerSecond ??
        rig?.drives.find((each) => each.drive === drive)?.readBytesPerSecond?.value,
    },
);

/** The sources that the conditions of the page Sources find. */
export const selectFoundSources = createSelector(
  selectSources,
  sourcesPageFeature.selectConditions,
  selectFilterContext,
  (sources, conditions, context): readonly Source[] =>
    context ? sources.filter((source) => matches(source, conditions, context)) : [],
);

/** Playhead of the timeline, also while a source is played alone. */
export const selectTimelineFrame = createSelector(
  playbackFeature.selectSubjectId,
  playbackFeature.selectFrame,
  playbackFeature.selectLeftAt,
  (subjectId, frame, leftAt) => (subjectId === null ? frame : leftAt),
);

/** Which pixels the viewer shows, for the plate under it. */
export const selectPlate = createSelector(playbackFeature.selectPixels, selectTimeline, (pixels, timeline) =>
  pixels && timeline ? { ...pixels, full: timeline.size } : null,
);

export const selectRun = createSelector(
  playbackFeature.selectRuns,
  playbackFeature.selectRunId,
  (runs, id) => runs.find((run) => run.id === id) ?? null,
);

export const selectBefore = createSelector(
  playbackFeature.selectRuns,
  playbackFeature.selectBeforeId,
  (runs, id) => runs.find((run) => run.id === id) ?? null,
);

const selectPrint = createSelector(selectTimeline, (timeline) => timeline && timelineFingerprint(timeline));

/** The runs of the timeline as it is now, or of the source that is played alone, and how they fit together. */
export interface PlayedRuns {
  /** The newest run of exactly what would be played now; null when there is none. */
  readonly last: RunRecord | null;
  /** The run beside it. */
  readonly before: RunRecord | null;
  /** Differences between the timelines of both runs; empty where both played the same frames. */
  readonly beforeDiffers: readonly RunDifference[];
  /** The newest run, where its timeline has changed since, with the changed parts; null for runs of an older Hone. */
  readonly outdated: { readonly run: RunRecord; readonly changed: readonly FingerprintPart[] } | null;
}

export type RunDifference = FingerprintPart | 'stretch' | 'unknown timeline';

const framesOf = ({ facts, summary }: RunRecord): string => `${facts.firstFrame}:${summary.wanted}`;

function runDifferences(a: RunRecord, b: RunRecord): RunDifference[] {
  const played =
    a.facts.played && b.facts.played
      ? fingerprintDifferences(a.facts.played, b.facts.played)
      : (['unknown timeline'] as const);
  return [...played, ...(framesOf(a) === framesOf(b) ? [] : (['stretch'] as const))];
}

export const selectPlayedRuns = createSelector(
  playbackFeature.selectRuns,
  playbackFeature.selectSubjectId,
  playbackFeature.selectRunId,
  playbackFeature.selectBeforeId,
  selectPrint,
  (runs, subjectId, runId, beforeId, print): PlayedRuns => {
    const own = runs.filter(({ facts }) => facts.subjectId === subjectId);
    const fits = ({ facts: { played } }: RunRecord): boolean =>
      print !== null && played !== null && fingerprintDifferences(played, print).length === 0;
    const last = own.find((run) => run.id === runId && fits(run)) ?? own.find(fits) ?? null;
    const older = last ? own.slice(own.indexOf(last) + 1) : [];
    const before = own.find(({ id }) => id === beforeId && id !== last?.id) ?? older[0] ?? null;
    const newest = own[0];
    return {
      last,
      before: last && before,
      beforeDiffers: last && before ? runDifferences(before, last) : [],
      outdated:
        last || !newest
          ? null
          : {
              run: newest,
              changed: newest.facts.played && print ? fingerprintDifferences(newest.facts.played, print) : [],
            },
    };
  },
);

/** The newest run of exactly what would be played now. */
export const selectPlayedRun = createSelector(selectPlayedRuns, ({ last }) => last);

const rangesText = (ranges: readonly FrameRange[] | null | undefined): string =>
  (ranges ?? []).map(({ from, to }) => `${from}-${to}`).join(' ');

/** The played run, where levers, light copies and render cache are as they were in it; null otherwise. */
export const selectMeasuredRun = createSelector(
  selectPlayedRun,
  selectTuning,
  selectPlan,
  (run, tuning, plan): RunRecord | null => {
    if (!run || !tuning || run.facts.leversMoved) return null;
    const filesOf = (sourceIds: readonly string[]): string => sourceIds.toSorted().join(' ');
    const isSame =
      showAlike(run.facts.tuning, tuning) &&
      (!plan || filesOf(run.facts.copiedSources) === filesOf(copiedSources(plan))) &&
      rangesText(run.facts.cached) === rangesText(plan && cachedRanges(plan)) &&
      rangesText(run.facts.cachedParts) === rangesText(plan && cachedPartRanges(plan));
    return isSame ? run : null;
  },
);

export const selectPlayedBefore = createSelector(selectPlayedRuns, ({ before }) => before);

/** Changes of the machine since it was measured; empty without any, or where unknown. */
export const selectStaleReasons = createSelector(
  machineFeature.selectOwn,
  machineFeature.selectNow,
  machineFeature.selectRenderer,
  (own, now, renderer): readonly string[] =>
    own && now ? staleReasons(own, { ...now.machine, browser: navigator.userAgent, renderer }) : [],
);

export const selectExports = createSelector(mediaFeature.selectExportList, (exports) =>
  exports.toSorted((a, b) => b.createdAt.localeCompare(a.createdAt)),
);
