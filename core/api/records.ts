import type { ChosenFrame, Delivery } from '../render/index.js';
import type {
  CacheFormatChoice,
  CacheFormatId,
  CopyDivisor,
  PictureStructure,
  SourceFacts,
  SourceFilter,
  Stills,
} from '../media/index.js';
import type { CachedStretch } from '../cache/index.js';
import type { Finding } from '../findings/index.js';
import type { PacingSummary, RunFacts, ScrubFacts } from '../playback/index.js';
import type { CacheFormatFigures, DecodeFigures, FfmpegChoice, Rig } from '../machine/index.js';
import type { Tuning } from '../levers/index.js';
import type { Rational } from '../time/index.js';
import type { FrameRange, FrameSize, Timeline } from '../timeline/index.js';

/** Replies of the server. All times are ISO 8601 in UTC; all sizes are bytes. */
export interface Project {
  readonly id: string;
  readonly name: string;
  readonly timeline: Timeline;
  readonly tuning: Tuning;
  readonly delivery: Delivery;
  /** Filters of the page Sources that were given a name. */
  readonly filters: readonly SourceFilter[];
  /** Grows with every change of timeline or delivery; a change must name the one that it is based on. */
  readonly revision: number;
  /** Revisions that undo leads back to, one after the other. */
  readonly ancestors: readonly number[];
  /** Whether the first clip that is put on the timeline gives it its frame size and rate. */
  readonly takesFirstShape: boolean;
  readonly createdAt: string;
}

/** A project as the list of projects shows it. */
export interface ProjectEntry {
  readonly id: string;
  readonly name: string;
  readonly createdAt: string;
  /** Length of the timeline in frames of its rate. */
  readonly frames: number;
  readonly rate: Rational;
  readonly size: FrameSize;
  /** Filmstrip that stands for the project; null while there is none. */
  readonly picture: { readonly sourceId: string; readonly stamp: string; readonly pictures: number } | null;
  /** Result of the last run of the timeline; null when it was never played. */
  readonly lastRun: PacingSummary | null;
}

/** A timeline that was kept, without the timeline. */
export interface ProjectRevision {
  readonly revision: number;
  /** ISO 8601 in UTC. */
  readonly savedAt: string;
  readonly clips: number;
  /** Length of the timeline. */
  readonly frames: number;
}

/** "growing" while something still writes the file. */
export type SourceState = 'expected' | 'ready' | 'growing' | 'unreadable' | 'missing';

/** A row of small pictures of a source, spread evenly over its length. */
export interface Filmstrip {
  readonly pictures: number;
  readonly width: number;
  readonly height: number;
}

/** Audio of a source, extracted in advance for playback. */
export interface PreparedSound {
  /** Peaks for each second of sound, one byte each. */
  readonly peaksPerSecond: number;
  /** Seconds of sound that ffmpeg decodes in one second. */
  readonly timesRealTime: number;
  /** Whether decoded sound was kept, because its codec or container would hold the player up. */
  readonly decoded: boolean;
}

/** A part of a source whose pictures are damaged, seconds from its first frame. */
export interface DamagedPart {
  readonly fromSeconds: number;
  readonly toSeconds: number;
}

export interface Source {
  readonly id: string;
  readonly projectId: string;
  readonly name: string;
  readonly state: SourceState;
  /** The fault and its remedy, where the state is not ready. */
  readonly problem: string | null;
  readonly bytes: number;
  readonly facts: SourceFacts | null;
  /** SHA-256 of the whole file, once it has been computed. */
  readonly contentHash: string | null;
  readonly folder: string;
  /** Mount point of the drive that the file is on. */
  readonly drive: string;
  /** Picture structure by the packet index; null until it is read. */
  readonly structure: PictureStructure | null;
  /** Folder within the project, parts divided by slashes; empty at the top. */
  readonly bin: string;
  readonly tags: readonly string[];
  /** Set for numbered still images that are one source. */
  readonly stills: Stills | null;
  /** Another one when the file became another file. */
  readonly stamp: string;
  readonly strip: Filmstrip | null;
  readonly sound: PreparedSound | null;
  /** Damage found by decoding the whole file; null until it is checked. */
  readonly damage: readonly DamagedPart[] | null;
}

/** Likeness of a light copy to its source, by ffmpeg's filters on frames spread over the clip. */
export interface Likeness {
  readonly ssim: number;
  readonly psnrDb: number;
  readonly frames: number;
}

export type CopyState = 'making' | 'ready' | 'failed' | 'stale';

export interface LightCopy {
  readonly id: string;
  readonly sourceId: string;
  readonly projectId: string;
  readonly divisor: CopyDivisor;
  readonly format: string;
  /** Path of the file. */
  readonly folder: string;
  readonly state: CopyState;
  readonly width: number;
  readonly height: number;
  /** Row of its coded picture at which alpha begins; null for a copy without alpha. */
  readonly alphaRow: number | null;
  readonly bytes: number;
  readonly likeness: Likeness | null;
  readonly madeInMs: number | null;
}

/** Time and size of a light copy, estimated from a sample of the clip. */
export interface CopyEstimate {
  readonly sourceId: string;
  readonly divisor: CopyDivisor;
  readonly bytes: number;
  readonly seconds: number;
  readonly width: number;
  readonly height: number;
  /** Frames that were encoded to find out. */
  readonly sampledFrames: number;
}

/** Room of the render cache. */
export interface RenderCacheSettings {
  readonly quotaBytes: number;
  /** Free on the drive of its folder. */
  readonly freeBytes: number;
  /** Folder of new files. */
  readonly folder: string;
  /** Folder that was chosen in place of Hone's own, which stands in while it is not there; null for none. */
  readonly chosenFolder: string | null;
  /** How new files are coded. */
  readonly format: CacheFormatChoice;
}

/** Codings of cached stretches as they were tried. */
export interface TriedCacheFormats {
  readonly formats: readonly CacheFormatFigures[];
  /** What the server takes to decode those that browsers do not. */
  readonly decoders: readonly DecodeFigures[];
  /** Pictures of which there are files for the browser to decode. */
  readonly size: FrameSize;
  readonly rate: Rational;
  readonly files: readonly { readonly format: CacheFormatId; readonly frameCount: number }[];
}

/** A cached stretch as the server keeps it. */
export interface CachedStretchRecord extends CachedStretch {
  /** Project that it was rendered for; others use it as well. */
  readonly projectId: string;
  readonly format: string;
  readonly madeAt: string;
  readonly madeInMs: number;
  /** When it was last played, or made. */
  readonly usedAt: string;
}

export type JobState = 'waiting' | 'running' | 'done' | 'failed' | 'cancelled';

export interface Job {
  readonly id: string;
  readonly projectId: string;
  readonly kind: string;
  /** Name of the file or timeline it works on, for display. */
  readonly title: string;
  readonly subjectId: string;
  readonly state: JobState;
  /** 0 to 1. */
  readonly progress: number;
  /** Measured from the progress so far; null while nothing is known. */
  readonly secondsLeft: number | null;
  readonly problem: string | null;
  readonly createdAt: string;
  /** Timeline frames that it renders; absent for other work. */
  readonly ranges?: readonly FrameRange[] | undefined;
}

export interface RunRecord {
  readonly id: string;
  readonly projectId: string;
  readonly startedAt: string;
  readonly facts: RunFacts;
  readonly summary: PacingSummary;
  readonly notes: string;
  /** Findings by the timeline, rig and tuning of the run; null for a run that was saved without them. */
  readonly findings: readonly Finding[] | null;
}

export interface ScrubRecord {
  readonly id: string;
  readonly projectId: string;
  readonly startedAt: string;
  readonly facts: ScrubFacts;
}

export interface ProofFrame extends ChosenFrame {
  readonly clipName: string;
  /** Source frame that the export must show; null where nothing is on the timeline. */
  readonly sourceSeconds: number | null;
  readonly ssim: number;
}

export interface ProofFile {
  readonly sourceId: string;
  readonly name: string;
  readonly bytes: number;
  readonly sha256: string;
}

/** The evidence that an export shows the originals and nothing else. */
export interface ExportProof {
  readonly originals: readonly ProofFile[];
  /** Files that ffmpeg opened, by the arguments it was given, that are not originals: must be empty. */
  readonly otherInputs: readonly string[];
  readonly graphSha256: string;
  readonly filters: string;
  readonly frames: readonly ProofFrame[];
  readonly frameCount: number;
  readonly expectedFrameCount: number;
  readonly bytes: number;
  readonly sha256: string;
}

export interface ExportRecord {
  readonly id: string;
  readonly projectId: string;
  readonly name: string;
  readonly state: 'making' | 'ready' | 'failed' | 'cancelled';
  readonly delivery: Delivery;
  readonly proof: ExportProof | null;
  readonly bytes: number;
  readonly createdAt: string;
}

/** A folder that footage can be chosen from. Its path is shown to people and never sent back. */
export interface FolderEntry {
  readonly id: string;
  /** Path of the folder. */
  readonly label: string;
  readonly files: readonly { readonly id: string; readonly name: string; readonly bytes: number }[];
  readonly children: readonly FolderChild[];
  /** What else is in it, and why it cannot be used. */
  readonly unusable: readonly { readonly name: string; readonly problem: string }[];
}

export interface FolderChild {
  readonly id: string;
  readonly label: string;
  readonly kind: 'media' | 'home' | 'drive' | 'folder';
  /** Files directly in it that have names of media, and rows of numbered stills. */
  readonly mediaFiles: number;
  /** Whether it is a media folder that the user added, and can take away. */
  readonly isAdded: boolean;
}

/** A file that was dropped: the source that it is linked as, or why it cannot be one; neither when it was not found. */
export interface DroppedReply {
  readonly name: string;
  readonly source: Source | null;
  readonly problem: string | null;
}

/** Simulated parts that replace those of the machine. */
export interface Simulation {
  /** A simulated drive that media and copies are read through; null for the real ones. */
  readonly driveId: string | null;
}

/** Limits of what Hone may use of the machine. */
export interface MachineLimits {
  /** For page, workers, server and ffmpeg together. */
  readonly memoryCeilingBytes: number;
  /** Capacity of the machine. */
  readonly memoryBytes: number;
}

export interface MachineSettings extends MachineLimits {
  /** What ffmpeg decodes and encodes by for previews, copies and cached stretches. */
  readonly ffmpegOn: FfmpegChoice;
  /** Why hardware failed in the middle of such work, in ffmpeg's words; null while it did not. */
  readonly hardwareLost: string | null;
}

/** The machine now, and the graphics processors that its bus shows. */
export interface MachineNow {
  readonly machine: Rig['machine'];
  readonly graphics: readonly {
    readonly vendor: string;
    readonly device: string;
    readonly driver: string | null;
    readonly memoryBytes: number;
  }[];
  /** Whether a quick measurement begins by itself when there is none. */
  readonly measuresItself: boolean;
}

export interface Rigs {
  /** The rig that was measured here; null before that. */
  readonly own: Rig | null;
  readonly loaded: readonly Rig[];
}

/** An error reply, as problem details (RFC 9457). */
export interface Problem {
  readonly type: string;
  readonly title: string;
  readonly status: number;
  readonly detail: string;
  readonly faults?: readonly string[];
}

/** Server-sent events, one JSON object each. */
export type ServerEvent =
  | { readonly kind: 'job'; readonly job: Job }
  | { readonly kind: 'source'; readonly source: Source }
  | { readonly kind: 'sourceGone'; readonly sourceId: string; readonly projectId: string }
  | { readonly kind: 'copy'; readonly copy: LightCopy }
  | { readonly kind: 'copyGone'; readonly copyId: string; readonly projectId: string }
  | { readonly kind: 'cachedStretch'; readonly stretch: CachedStretchRecord }
  | { readonly kind: 'cachedStretchGone'; readonly stretchId: string }
  | { readonly kind: 'project'; readonly project: Project }
  | { readonly kind: 'projectGone'; readonly projectId: string }
  | { readonly kind: 'simulation'; readonly simulation: Simulation }
  | { readonly kind: 'hardwareLost'; readonly reason: string }
  | { readonly kind: 'export'; readonly record: ExportRecord };

/** A colour table that the server keeps. */
export interface KeptTable {
  /** Hash of its text, which is its identifier in effects. */
  readonly id: string;
  readonly title: string;
  readonly kind: '1D' | '3D';
  readonly size: number;
}

/** Estimated size of an export, with warnings. */
export interface ExportEstimate {
  readonly bytes: number;
  /** Frames encoded for the estimate; 0 where the bit rate gives the size. */
  readonly sampledFrames: number;
  /** Warnings before the export begins, one sentence each. */
  readonly remarks: readonly string[];
}
