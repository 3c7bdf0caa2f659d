import { median, quantile } from 'd3-array';
import { array, boolean, number, object, string, type InferType } from 'yup';
import { tuningSchema, type Tuning } from '../levers/index.js';
import type { DecodeRange, KeptRange } from '../pacing/index.js';
import { type FrameRange, rateSchema, type TimelineFingerprint } from '../timeline/index.js';
import type { Rational } from '../time/index.js';

export type Power = 'mains' | 'battery' | 'unknown';

/** One measured playback pass over a stretch, without its frame log. */
export interface RunFacts {
  readonly firstFrame: number;
  readonly rate: Rational;
  readonly tuning: Tuning;
  /** The source that was played alone; null for the timeline. */
  readonly subjectId: string | null;
  /** The timeline as it was played; null in runs of an older Hone. */
  readonly played: TimelineFingerprint | null;
  /** Frames of the whole timeline; null in runs of an older Hone. */
  readonly wholeFrames: number | null;
  /** Sources that were played from light copies during the run. */
  readonly copiedSources: readonly string[];
  /** Sources whose pictures the server decoded. */
  readonly serverDecoded: readonly string[];
  /** Whether a lever was moved or a copy came in while it ran: then it is not a clean measurement of one tuning. */
  readonly leversMoved: boolean;
  /** Clock of the run: the sound device, or the system clock without one. */
  readonly clock: 'sound' | 'system';
  /** Time to decode and mix sound, ms, and sample frames that were not ready when they were due. */
  readonly sound: { readonly mixMs: number; readonly gapSamples: number };
  readonly decodeWorkers: number;
  /** The rig that it was measured on, and a simulated drive that media were read through. */
  readonly rigId: string | null;
  readonly driveId: string | null;
  /** Prediction for these frames, made before the run; null without one. */
  readonly predicted: PredictedFigures | null;
  /**
   * Share of all cores that other programs, or the host of a virtual machine, took meanwhile, 0 to 1; null where the
   * system does not tell, absent until the run is kept.
   */
  readonly othersShare?: number | null;
  /** Ranges of the decode plan that the run followed; absent without one. */
  readonly ranges?: readonly DecodeRange[] | undefined;
  /** Frames whose pictures were in memory from an earlier pass; absent without any. */
  readonly kept?: readonly KeptRange[] | undefined;
  /** Frames of the timeline that were played from the render cache; absent without any. */
  readonly cached?: readonly FrameRange[] | undefined;
  /** Timeline frames of which a part of the picture was played from the render cache. */
  readonly cachedParts?: readonly FrameRange[] | undefined;
}

/** Share of the cores at which other programs disturb a run. */
const DISTURBING = 0.1;

/** Whether other programs disturbed a run, so that it does not measure the machine. */
export const isDisturbed = ({ othersShare }: { readonly othersShare?: number | null | undefined }): boolean =>
  (othersShare ?? 0) > DISTURBING;

/** Frames a second that were predicted to be shown, and the frames of those wanted that were to be dropped. */
export interface PredictedFigures {
  readonly framesPerSecond: number;
  readonly dropped: number;
}

/** Facts that runs of an older Hone do not have. */
export const OLDER_RUN: Pick<
  RunFacts,
  'subjectId' | 'played' | 'wholeFrames' | 'serverDecoded' | 'sound' | 'rigId' | 'driveId' | 'predicted'
> = {
  subjectId: null,
  played: null,
  wholeFrames: null,
  serverDecoded: [],
  sound: { mixMs: 0, gapSamples: 0 },
  rigId: null,
  driveId: null,
  predicted: null,
};

const amount = () => number().strict().min(0).required();
const print = () => string().strict().max(64).required();
const id = () => string().strict().max(64).nullable().defined();

const frameRange = {
  from: number().strict().integer().min(0).required(),
  to: number().strict().integer().min(0).required(),
};
const clipRange = { clipId: string().strict().max(64).required(), ...frameRange };

export const runFactsSchema = object({
  firstFrame: number().strict().integer().min(0).required(),
  rate: rateSchema.required(),
  tuning: tuningSchema.required(),
  subjectId: id(),
  played: object({ format: print(), cuts: print(), effects: print() })
    .noUnknown()
    .nullable()
    .defined()
    .default(null),
  wholeFrames: number().strict().integer().min(0).nullable().defined().default(null),
  copiedSources: array(string().strict().required()).required(),
  serverDecoded: array(string().strict().required()).required(),
  leversMoved: boolean().strict().required(),
  clock: string<'sound' | 'system'>().strict().oneOf(['sound', 'system']).required(),
  sound: object({ mixMs: amount(), gapSamples: amount() }).noUnknown().required(),
  decodeWorkers: number().strict().integer().min(1).required(),
  rigId: id(),
  driveId: id(),
  predicted: object({ framesPerSecond: amount(), dropped: amount() })
    .noUnknown()
    .nullable()
    .defined()
    .default(null),
  othersShare: number().strict().min(0).max(1).nullable().optional(),
  ranges: array(
    object({
      ...clipRange,
      beginAt: number().strict().required(),
    }).noUnknown(),
  ).optional(),
  kept: array(object(clipRange).noUnknown()).optional(),
  cached: array(object(frameRange).noUnknown()).optional(),
  cachedParts: array(object(frameRange).noUnknown()).optional(),
}).noUnknown();

/** A run as it is sent to be kept: the log's numbers as base64 of little-endian 32-bit floats. */
export interface NewRun {
  readonly facts: RunFacts;
  readonly log: string;
  /** When play was pressed, ms of the epoch. */
  readonly pressedAt: number;
}

export const newRunSchema = object({
  facts: runFactsSchema.required(),
  log: string()
    .strict()
    .required()
    .matches(/^[A-Za-z0-9+/]*={0,2}$/, 'the log is not base64'),
  pressedAt: number().strict().min(0).required(),
}).noUnknown();

/** The machine at one moment of a run. What the system does not tell is null. */
export interface RunSample {
  /** From the press of play. */
  readonly atMs: number;
  /** Share of each core that was busy since the sample before, 0 to 1. */
  readonly cores: readonly number[];
  /** Read rate of all drives, bytes per second. */
  readonly readBytesPerSecond: number | null;
  /** Memory that is not to be had, of the whole machine. */
  readonly usedMemoryBytes: number;
  /** Memory of the server, without its children. */
  readonly serverMemoryBytes: number;
  readonly power: Power;
  /** Share of the time in which the graphics processor was busy, 0 to 1; absent in runs of an older Hone. */
  readonly graphicsShare?: number | null | undefined;
}

/** Scrubbing that was measured: ms from the pointer to its picture. */
export interface ScrubFacts {
  readonly tuning: Tuning;
  readonly subjectId: string | null;
  readonly pictures: number;
  readonly medianMs: number;
  /** 95th percentile of the latency, ms. */
  readonly worstTwentiethMs: number;
}

export const scrubFactsSchema = object({
  tuning: tuningSchema.required(),
  subjectId: id(),
  pictures: number().strict().integer().min(1).required(),
  medianMs: amount(),
  worstTwentiethMs: amount(),
}).noUnknown();

/**
 * @param waits ms from the pointer to its picture
 * @throws RangeError when there are none
 */
export function scrubSummary(
  waits: readonly number[],
): Pick<ScrubFacts, 'pictures' | 'medianMs' | 'worstTwentiethMs'> {
  if (waits.length === 0) throw new RangeError('Nothing was scrubbed.');
  return { pictures: waits.length, medianMs: median(waits)!, worstTwentiethMs: quantile(waits, 0.95)! };
}

export const runNotesSchema = object({ notes: string().strict().max(2000).defined() }).noUnknown();
export type RunNotes = InferType<typeof runNotesSchema>;
