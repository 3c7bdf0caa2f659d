import type {
  CachedStretchRecord,
  CopyEstimate,
  ExportRecord,
  Job,
  LightCopy,
  NewProject,
  Project,
  ProjectEntry,
  MachineNow,
  MachineChange,
  MachineSettings,
  Rigs,
  RunRecord,
  ScrubRecord,
  Simulation,
  Source,
  SourceChange,
} from '@hone/core/api';
import type { Tuning } from '@hone/core/levers';
import type { CopyDivisor, Condition, SourceFilter } from '@hone/core/media';
import type { FrameLog, RunFacts, ScrubFacts } from '@hone/core/playback';
import type { DecodeFigures, Rig } from '@hone/core/machine';
import type { CachePoint, Delivery } from '@hone/core/render';
import type { CopiedClip, Effect, FrameRange, Timeline } from '@hone/core/timeline';
import type { PlayerState, ShownPixels } from '@hone/player';
import { createActionGroup, emptyProps, props } from '@ngrx/store';

/** Events of the server. */
export const ServerActions = createActionGroup({
  source: 'Server',
  events: {
    'Connection found': props<{ again: boolean }>(),
    'Connection lost': emptyProps(),
    'Job changed': props<{ job: Job }>(),
    'Source changed': props<{ source: Source }>(),
    'Source gone': props<{ sourceId: string }>(),
    'Simulation changed': props<{ simulation: Simulation }>(),
    'Hardware lost': props<{ reason: string }>(),
    'Copy changed': props<{ copy: LightCopy }>(),
    'Copy gone': props<{ copyId: string }>(),
    'Stretch cached': props<{ stretch: CachedStretchRecord }>(),
    'Cached stretch gone': props<{ stretchId: string }>(),
    'Project changed': props<{ project: Project }>(),
    'Export changed': props<{ record: ExportRecord }>(),
  },
});

export const ProjectActions = createActionGroup({
  source: 'Project',
  events: {
    'Page opened': emptyProps(),
    'List asked': emptyProps(),
    'Projects listed': props<{ projects: ProjectEntry[] }>(),
    Chosen: props<{ projectId: string }>(),
    Asked: props<{ project: NewProject }>(),
    Opened: props<{
      project: Project;
      sources: Source[];
      copies: LightCopy[];
      stretches: CachedStretchRecord[];
      jobs: Job[];
      runs: RunRecord[];
      scrubs: ScrubRecord[];
      exports: ExportRecord[];
    }>(),
    Failed: props<{ message: string }>(),
    /** Something happened that the user should know of. */
    Told: props<{ message: string }>(),
    'Renaming asked': props<{ projectId: string; name: string }>(),
    'Deletion asked': props<{ projectId: string }>(),
    Gone: props<{ projectId: string }>(),
    'Notice read': emptyProps(),
    'Timeline edited': props<{ timeline: Timeline }>(),
    'Edit undone': emptyProps(),
    'Earlier asked': emptyProps(),
    /** An edit of an earlier visit is undone: this is the timeline before it. */
    'Ancestor opened': props<{ revision: number; timeline: Timeline }>(),
    'Edit done again': emptyProps(),
    'Delivery edited': props<{ delivery: Delivery }>(),
    /** A save ended; `edits` is how many edits it held. */
    Kept: props<{ project: Project; edits: number }>(),
    Refused: props<{ project: Project }>(),
    'Lever moved': props<{ tuning: Tuning }>(),
    'Duplication asked': props<{ projectId: string }>(),
    'Job cancelled': props<{ jobId: string }>(),
  },
});

/** Footage on its way into the project; without a project, one is made for it. */
export const ImportActions = createActionGroup({
  source: 'Import',
  events: {
    /** Files of folders that the server listed. `name` names a project that is made for them. */
    'Files chosen': props<{ fileIds: string[]; name: string; isPlaced: boolean }>(),
    /** Files that the browser handed over, which does not tell where they lie. */
    'Files dropped': props<{ files: File[]; folder: string | null }>(),
    /** Dropped files that lie in no folder that Hone knows, and those that cannot be used, with the reason. */
    'Files not linked': props<{ missing: File[]; problems: string[] }>(),
    'Upload asked': props<{ files: File[] }>(),
    'Upload progressed': props<{ name: string; share: number }>(),
    'Sources added': props<{ sources: Source[] }>(),
    /** Sources go on the empty timeline as soon as all of them are read. */
    'Placement asked': props<{ sourceIds: string[] }>(),
    'Placement ended': emptyProps(),
  },
});

export const EditActions = createActionGroup({
  source: 'Editing',
  events: {
    'Clips chosen': props<{ ids: readonly string[] }>(),
    'Clips copied': props<{ copied: readonly CopiedClip[] }>(),
    'Snapping turned': emptyProps(),
    'Effects turned': emptyProps(),
    'Effects copied': props<{ effects: readonly Effect[] }>(),
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

export const RenderCacheActions = createActionGroup({
  source: 'Render cache',
  events: {
    'Render asked': props<{ ranges: readonly FrameRange[]; point?: CachePoint | undefined }>(),
    'Removal asked': props<{ ids: readonly string[] }>(),
  },
});

export const PlayerActions = createActionGroup({
  source: 'Player',
  events: {
    'State changed': props<{ state: PlayerState; frame: number }>(),
    /** The player was told what to play; these sources are seen or heard in it. */
    'Plan given': props<{ sourceIds: readonly string[] }>(),
    'Picture at rest': props<{ frame: number }>(),
    'Pixels changed': props<{ pixels: ShownPixels }>(),
    'Marks set': props<{ inFrame: number | null; outFrame: number | null }>(),
    /** Play was pressed; a run begins. */
    'Run begun': emptyProps(),
    'Run finished': props<{ facts: RunFacts; log: FrameLog; pressedAt: number }>(),
    'Run noted': props<{ runId: string; notes: string }>(),
    'Run changed': props<{ run: RunRecord }>(),
    /** Someone wants to look at a frame on the page Work. */
    'Place asked': props<{ frame: number }>(),
    'Subject chosen': props<{ sourceId: string | null }>(),
    Scrubbed: props<{ facts: ScrubFacts }>(),
    'Scrub kept': props<{ scrub: ScrubRecord }>(),
    'Run kept': props<{ run: RunRecord; log: FrameLog }>(),
    'Run removed': props<{ runId: string }>(),
    'Runs compared': props<{ runId: string | null; beforeId: string | null }>(),
    /** Pictures that the last run dropped are being made; null when none are. */
    'Filling changed': props<{ filling: Filling | null }>(),
    'Filling cancelled': emptyProps(),
    Failed: props<{ message: string }>(),
  },
});

/** Frames whose pictures are in memory, of those that the last run dropped. */
export interface Filling {
  readonly done: number;
  readonly all: number;
  /** Null while it is not known. */
  readonly secondsLeft: number | null;
}

export const ExportActions = createActionGroup({
  source: 'Export',
  events: { Asked: emptyProps() },
});

export type SourcesView = 'table' | 'grid';

/** By which column sources are sorted, and which way. */
export interface SourceOrder {
  readonly column: string;
  readonly descending: boolean;
}

/** The page Sources. */
export const SourcesActions = createActionGroup({
  source: 'Sources',
  events: {
    'View chosen': props<{ view: SourcesView }>(),
    'Conditions changed': props<{ conditions: Condition[] }>(),
    'Order chosen': props<{ order: SourceOrder }>(),
    'Columns chosen': props<{ columns: string[] }>(),
    'Selection changed': props<{ selected: string[] }>(),
    'Source opened': props<{ sourceId: string | null }>(),
    'Filters changed': props<{ filters: SourceFilter[] }>(),
    'Change asked': props<{ change: SourceChange }>(),
    'Removal asked': props<{ sourceIds: string[] }>(),
    'Reading asked': props<{ sourceIds: string[] }>(),
  },
});

/** A measurement that is under way. */
export interface Measuring {
  readonly what: string;
  readonly thorough: boolean;
  /** 0 to 1. */
  readonly done: number;
  readonly secondsLeft: number;
}

/** The machine and its measurement. */
export const RigActions = createActionGroup({
  source: 'Rig',
  events: {
    'Page opened': emptyProps(),
    'Machine read': props<{
      rigs: Rigs;
      now: MachineNow;
      settings: MachineSettings;
      simulation: Simulation;
      renderer: string;
    }>(),
    'Measurement asked': props<{ thorough: boolean }>(),
    'Measurement cancelled': emptyProps(),
    'Measurement progressed': props<{ measuring: Measuring }>(),
    'Measurement ended': props<{ message: string | null }>(),
    Measured: props<{ rig: Rig }>(),
    Tried: props<{ trials: readonly DecodeFigures[] }>(),
    'Rig chosen': props<{ rigId: string }>(),
    'Rig put under': props<{ rigId: string | null }>(),
    'File chosen': props<{ file: File }>(),
    'Rig loaded': props<{ rig: Rig }>(),
    'Rig removed': props<{ rigId: string }>(),
    'Drive chosen': props<{ driveId: string | null }>(),
    'Settings chosen': props<{ change: MachineChange }>(),
    'Settings read': props<{ settings: MachineSettings }>(),
  },
});
