import type {
  CopyEstimate,
  ExportRecord,
  Job,
  LightCopy,
  NewProject,
  Project,
  ProjectEntry,
  RunRecord,
  Source,
} from '@hone/core/api';
import type { Tuning } from '@hone/core/levers';
import type { CopyDivisor } from '@hone/core/media';
import type { FrameLog, RunFacts } from '@hone/core/playback';
import type { Delivery } from '@hone/core/render';
import type { FrameSize, Timeline } from '@hone/core/timeline';
import type { PictureOrigin, PlayerState } from '@hone/player';
import { createActionGroup, emptyProps, props } from '@ngrx/store';

/** What the server told of its own accord. */
export const ServerActions = createActionGroup({
  source: 'Server',
  events: {
    'Connection found': props<{ again: boolean }>(),
    'Connection lost': emptyProps(),
    'Job changed': props<{ job: Job }>(),
    'Source changed': props<{ source: Source }>(),
    'Copy changed': props<{ copy: LightCopy }>(),
    'Copy gone': props<{ copyId: string }>(),
    'Project changed': props<{ project: Project }>(),
    'Export changed': props<{ record: ExportRecord }>(),
  },
});

export const ProjectActions = createActionGroup({
  source: 'Project',
  events: {
    'Page opened': emptyProps(),
    'Projects listed': props<{ projects: ProjectEntry[] }>(),
    Chosen: props<{ projectId: string }>(),
    Asked: props<{ project: NewProject }>(),
    Opened: props<{
      project: Project;
      sources: Source[];
      copies: LightCopy[];
      jobs: Job[];
      runs: RunRecord[];
      exports: ExportRecord[];
    }>(),
    Failed: props<{ message: string }>(),
    'Notice read': emptyProps(),
    'Timeline edited': props<{ timeline: Timeline }>(),
    'Edit taken back': emptyProps(),
    'Delivery edited': props<{ delivery: Delivery }>(),
    /** A save ended; `edits` is how many edits it held. */
    Kept: props<{ project: Project; edits: number }>(),
    'Lever moved': props<{ tuning: Tuning }>(),
    'Files chosen': props<{ fileIds: string[] }>(),
    'Files dropped': props<{ files: File[] }>(),
    'Upload progressed': props<{ name: string; share: number }>(),
    'Sources added': props<{ sources: Source[] }>(),
    'Job cancelled': props<{ jobId: string }>(),
  },
});

export const CopyActions = createActionGroup({
  source: 'Copies',
  events: {
    'Estimate asked': props<{ sourceIds: string[]; divisor: CopyDivisor }>(),
    'Estimates made': props<{ estimates: CopyEstimate[] }>(),
    Asked: props<{ sourceIds: string[]; divisor: CopyDivisor }>(),
    Removed: props<{ copyId: string }>(),
  },
});

export const PlayerActions = createActionGroup({
  source: 'Player',
  events: {
    'State changed': props<{ state: PlayerState; frame: number }>(),
    'Picture at rest': props<{ frame: number }>(),
    'Pixels changed': props<{ size: FrameSize; from: PictureOrigin[] }>(),
    'Marks set': props<{ inFrame: number | null; outFrame: number | null }>(),
    'Run finished': props<{ facts: RunFacts; log: FrameLog }>(),
    'Run kept': props<{ run: RunRecord }>(),
    'Run removed': props<{ runId: string }>(),
    'Runs compared': props<{ runId: string | null; beforeId: string | null }>(),
    Failed: props<{ message: string }>(),
  },
});

export const ExportActions = createActionGroup({
  source: 'Export',
  events: { Asked: emptyProps() },
});
