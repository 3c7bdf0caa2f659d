import type { CopyEstimate, Job, LightCopy, Source } from '@hone/core/api';
import { previewSize } from '@hone/core/levers';
import { copySize, fittingDivisor, shownSize, type CopyDivisor } from '@hone/core/media';
import { placementOf, renderGraph, sourcesOf } from '@hone/core/render';
import { timelineLength } from '@hone/core/timeline';
import { planFor } from '@hone/player';
import { createSelector } from '@ngrx/store';
import { mediaFeature, playbackFeature, projectFeature } from './features';

export const selectProject = projectFeature.selectOpen;

export const selectSources = createSelector(
  mediaFeature.selectSources,
  mediaFeature.selectOrder,
  (sources, order): readonly Source[] =>
    order.map((id) => sources[id]).filter((source) => source !== undefined),
);

const selectCopies = createSelector(mediaFeature.selectCopies, (copies): readonly LightCopy[] =>
  Object.values(copies),
);

export const selectTimeline = createSelector(selectProject, (project) => project?.timeline ?? null);
export const selectTuning = createSelector(selectProject, (project) => project?.tuning ?? null);

export const selectLength = createSelector(selectTimeline, (timeline) =>
  timeline ? timelineLength(timeline) : 0,
);

/** What the player is to play; null before a project is open. */
export const selectPlan = createSelector(
  selectTimeline,
  selectTuning,
  selectSources,
  selectCopies,
  (timeline, tuning, sources, copies) =>
    timeline && tuning ? planFor(timeline, tuning, sources, copies) : null,
);

/** Jobs that wait or run, those that run first. */
export const selectBusyJobs = createSelector(mediaFeature.selectJobs, (jobs): readonly Job[] =>
  Object.values(jobs)
    .filter(({ state }) => state === 'running' || state === 'waiting')
    .sort(
      (a, b) =>
        Number(b.state === 'running') - Number(a.state === 'running') ||
        a.createdAt.localeCompare(b.createdAt),
    ),
);

export const selectFailedJobs = createSelector(mediaFeature.selectJobs, (jobs): readonly Job[] =>
  Object.values(jobs)
    .filter(({ state }) => state === 'failed')
    .sort((a, b) => b.createdAt.localeCompare(a.createdAt))
    .slice(0, 5),
);

/** A source of the timeline with the light copy that there is of it, or that would fit it. */
export interface CopyRow {
  readonly source: Source;
  readonly copy: LightCopy | null;
  readonly job: Job | null;
  readonly divisor: CopyDivisor;
  readonly size: { readonly width: number; readonly height: number };
  readonly estimate: CopyEstimate | null;
}

/** The pictures of the timeline and their copies, at the divisor that fits the preview scale while playing. */
export const selectCopyRows = createSelector(
  selectTimeline,
  selectTuning,
  selectSources,
  selectCopies,
  mediaFeature.selectJobs,
  mediaFeature.selectEstimates,
  (timeline, tuning, sources, copies, jobs, estimates): readonly CopyRow[] => {
    if (!timeline || !tuning) return [];
    const known = new Map(sources.map((source) => [source.id, source]));
    const graph = renderGraph(timeline, (id) => known.get(id)?.facts ?? undefined);
    const frame = previewSize(timeline.size, tuning.playScale);
    return sourcesOf(graph).flatMap((id) => {
      const source = known.get(id);
      if (!source?.facts?.picture || source.state !== 'ready') return [];
      const size = shownSize(source.facts.picture);
      const divisor = fittingDivisor(size, placementOf(source.facts, frame));
      const own = copies.filter((copy) => copy.sourceId === id && copy.state !== 'stale');
      const copy = own.find((each) => each.divisor === divisor) ?? null;
      const job = Object.values(jobs).find(
        (each) =>
          each.kind === 'copy' &&
          each.subjectId === copy?.id &&
          (each.state === 'running' || each.state === 'waiting'),
      );
      const estimate = estimates.find((each) => each.sourceId === id && each.divisor === divisor);
      return [
        {
          source,
          copy,
          job: job ?? null,
          divisor,
          size: copySize(size, divisor),
          estimate: estimate ?? null,
        },
      ];
    });
  },
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

export const selectExports = createSelector(mediaFeature.selectExports, (exports) =>
  Object.values(exports).sort((a, b) => b.createdAt.localeCompare(a.createdAt)),
);
