import { array, boolean, number, object, string, type ObjectSchema } from 'yup';
import { deliverySchema, EVEN_SIZE, type CachePoint, type Delivery } from '../render/index.js';
import {
  CACHE_FORMAT_CHOICES,
  COPY_DIVISORS,
  type CacheFormatChoice,
  type CopyDivisor,
} from '../media/index.js';
import { FFMPEG_CHOICES, SIMULATED_DRIVES, type FfmpegChoice } from '../machine/index.js';

import {
  frameSizeSchema,
  rateSchema,
  timelineSchema,
  type FrameRange,
  type FrameSize,
  type Timeline,
} from '../timeline/index.js';
import type { Rational } from '../time/index.js';

/** Size and rate may be left out; they are then taken from the first clip that is put on the timeline. */
export interface NewProject {
  readonly name: string;
  readonly size?: FrameSize | undefined;
  readonly rate?: Rational | undefined;
}

export const newProjectSchema = object({
  name: string().strict().trim().required().max(200),
  size: frameSizeSchema.optional().default(undefined),
  rate: rateSchema.optional().default(undefined),
}).noUnknown();

export interface ProjectChange {
  readonly revision: number;
  readonly timeline: Timeline;
  readonly delivery: Delivery;
  /** Revision that undo leads to from here; left out, the one that the change is based on. */
  readonly parent?: number | null | undefined;
}

export const projectChangeSchema = object({
  revision: number().strict().integer().min(0).required(),
  timeline: timelineSchema.required(),
  delivery: deliverySchema.required(),
  parent: number().strict().integer().min(0).nullable().optional(),
}).noUnknown();

const sha256 = () =>
  string()
    .strict()
    .required()
    .matches(/^[0-9a-f]{64}$/, '${path} is no SHA-256');

const ids = () => array(string().strict().required().max(64)).required().min(1).max(1000);

export interface CopyRequest {
  readonly sourceIds: readonly string[];
  readonly divisor: CopyDivisor;
}

export const copyRequestSchema = object({
  sourceIds: ids(),
  divisor: number<CopyDivisor>().strict().oneOf(COPY_DIVISORS).required(),
}).noUnknown();

/** Timeline frames to be rendered in advance. */
export interface RenderRequest {
  readonly ranges: readonly FrameRange[];
  /** Size of the pictures. */
  readonly size: FrameSize;
  /** What is rendered of them, where there is such a node; the whole picture elsewhere, and when absent. */
  readonly point?: CachePoint | undefined;
  /** Cached stretches that are not evicted for it: those at the playhead. */
  readonly keepIds?: readonly string[] | undefined;
}

export const renderRequestSchema = object({
  ranges: array(
    object({
      from: number().strict().integer().min(0).required(),
      to: number().strict().integer().min(1).required(),
    }).noUnknown(),
  )
    .required()
    .min(1)
    .max(1000),
  size: frameSizeSchema.required(),
  point: object({
    kind: string<CachePoint['kind']>()
      .strict()
      .oneOf(['below', 'clip'] as const)
      .required(),
    clipId: string().strict().required().max(64),
    effects: number().strict().integer().min(0).max(100).optional(),
  })
    .noUnknown()
    .optional()
    .default(undefined),
  keepIds: array(string().strict().required().max(64)).max(100).optional(),
})
  .noUnknown()
  .test(EVEN_SIZE);

/** Least size limit of the render cache, bytes: a few stretches. */
const LEAST_QUOTA_BYTES = 100e6;

export interface RenderCacheChange {
  readonly quotaBytes?: number | undefined;
  /** Folder in which Hone makes one for new files; null for its own. */
  readonly folder?: string | null | undefined;
  readonly format?: CacheFormatChoice | undefined;
}

export const renderCacheChangeSchema: ObjectSchema<RenderCacheChange> = object({
  quotaBytes: number().strict().integer().min(LEAST_QUOTA_BYTES).max(1e15).optional(),
  folder: string().strict().trim().min(1).max(4000).nullable().optional(),
  format: string().strict().oneOf(CACHE_FORMAT_CHOICES).optional(),
}).noUnknown();

export interface CachedStretchRemoval {
  readonly ids: readonly string[];
}

export const cachedStretchRemovalSchema = object({ ids: ids() }).noUnknown();

export interface ImportRequest {
  readonly fileIds: readonly string[];
}

export const importRequestSchema = object({ fileIds: ids() }).noUnknown();

/** Looks for files by name in the media folders, and adds those that are found. */
export interface MediaSearch {
  readonly names: readonly string[];
  /** Whether those that are not found become sources that are missing, so that clips can be of them. */
  readonly keepMissing: boolean;
  /** Content of files that may have been renamed since. */
  readonly contents?: readonly SoughtContent[] | undefined;
}

export interface SoughtContent {
  readonly name: string;
  readonly sha256: string;
  readonly bytes: number;
}

export const mediaSearchSchema = object({
  names: array(string().strict().required().max(500)).required().min(1).max(5000),
  keepMissing: boolean().strict().required(),
  contents: array(
    object({
      name: string().strict().required().max(500),
      sha256: sha256(),
      bytes: number().strict().integer().required().min(1),
    }).noUnknown(),
  )
    .optional()
    .max(5000),
}).noUnknown();

/** A file that was dropped onto the page, or picked there: a browser does not tell where it lies. */
export interface DroppedFile {
  readonly name: string;
  readonly bytes: number;
  /** Sampled hash of the file, as core/media describes it. */
  readonly sampledHash: string;
}

export const droppedFilesSchema = object({
  files: array(
    object({
      name: string().strict().required().max(255),
      bytes: number().strict().integer().required().min(0),
      sampledHash: sha256(),
    }).noUnknown(),
  )
    .required()
    .min(1)
    .max(1000),
}).noUnknown();

/** A folder by the path that the user wrote. */
export const mediaFolderSchema = object({ path: string().strict().trim().required().max(4000) }).noUnknown();

/** Fields of a source to change; an absent field stays. */
export interface SourceChange {
  readonly sourceIds: readonly string[];
  /** Folder within the project, parts divided by slashes. */
  readonly bin?: string | undefined;
  readonly addTag?: string | undefined;
  readonly removeTag?: string | undefined;
  /** Interpretation of transparent pictures: straight or premultiplied alpha. */
  readonly premultiplied?: boolean | undefined;
}

const tag = () => string().strict().trim().min(1).max(60).optional().default(undefined);

export const sourceChangeSchema = object({
  sourceIds: ids(),
  bin: string()
    .strict()
    .max(200)
    .matches(/^(?:[^/]+(?:\/[^/]+)*)?$/, 'a bin is written as parts divided by single slashes')
    .optional()
    .default(undefined),
  addTag: tag(),
  removeTag: tag(),
  premultiplied: boolean().strict().optional(),
}).noUnknown();

export interface SourceRemoval {
  readonly sourceIds: readonly string[];
}

export const sourceRemovalSchema = object({ sourceIds: ids() }).noUnknown();

export interface SourceRetry {
  readonly sourceIds: readonly string[];
}

export const sourceRetrySchema = object({ sourceIds: ids() }).noUnknown();

export interface ProjectName {
  readonly name: string;
}

export const projectNameSchema = object({ name: string().strict().trim().required().max(200) }).noUnknown();

export interface SimulationChoice {
  readonly driveId: string | null;
}

const DRIVE_IDS = SIMULATED_DRIVES.map(({ id }) => id);

export const simulationSchema = object({
  driveId: string()
    .strict()
    .nullable()
    .defined()
    .test('known', 'there is no simulated drive of this name', (id) => id === null || DRIVE_IDS.includes(id)),
}).noUnknown();

export interface Measure {
  readonly projectId: string;
  readonly thorough: boolean;
  /** Sources that are decoded for a moment; one of each kind when they are not named. */
  readonly sourceIds?: readonly string[] | undefined;
}

export const measureSchema = object({
  projectId: string().strict().required().max(64),
  thorough: boolean().strict().required(),
  sourceIds: array(string().strict().required().max(64)).max(100).optional(),
}).noUnknown();

export interface DriveToMeasure {
  /** Mount point. */
  readonly drive: string;
  readonly thorough: boolean;
}

export const drivesToMeasureSchema = object({
  drive: string().strict().required().max(400),
  thorough: boolean().strict().required(),
}).noUnknown();

/** A new memory ceiling, another choice of what ffmpeg works by, or both. */
export interface MachineChange {
  readonly memoryCeilingBytes?: number | undefined;
  readonly ffmpegOn?: FfmpegChoice | undefined;
}

export const machineChangeSchema: ObjectSchema<MachineChange> = object({
  memoryCeilingBytes: number().strict().integer().min(0).optional(),
  ffmpegOn: string().strict().oneOf(FFMPEG_CHOICES).optional(),
})
  .noUnknown()
  .test(
    'something',
    'Give a memory ceiling, or what ffmpeg works by.',
    ({ memoryCeilingBytes, ffmpegOn }) => memoryCeilingBytes !== undefined || ffmpegOn !== undefined,
  );
