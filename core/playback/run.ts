import { array, boolean, number, object, string } from 'yup';
import { tuningSchema, type Tuning } from '../levers/index.js';
import { rateSchema } from '../timeline/index.js';
import type { Rational } from '../time/index.js';

/** One measured playback pass over a stretch, without its frame log. */
export interface RunFacts {
  readonly firstFrame: number;
  readonly rate: Rational;
  readonly tuning: Tuning;
  /** Sources that were played from light copies during the run. */
  readonly copiedSources: readonly string[];
  /** Whether a lever was moved or a copy came in while it ran: then it is not a clean measurement of one tuning. */
  readonly leversMoved: boolean;
  /** What kept time: the sound device, or the system clock where there is none. */
  readonly clock: 'sound' | 'system';
  readonly decodeWorkers: number;
}

export const runFactsSchema = object({
  firstFrame: number().strict().integer().min(0).required(),
  rate: rateSchema.required(),
  tuning: tuningSchema.required(),
  copiedSources: array(string().strict().required()).required(),
  leversMoved: boolean().strict().required(),
  clock: string<'sound' | 'system'>().strict().oneOf(['sound', 'system']).required(),
  decodeWorkers: number().strict().integer().min(1).required(),
}).noUnknown();

/** A run as it is sent to be kept: the log's numbers as base64 of little-endian 32-bit floats. */
export interface NewRun {
  readonly facts: RunFacts;
  readonly log: string;
}

export const newRunSchema = object({
  facts: runFactsSchema.required(),
  log: string()
    .strict()
    .required()
    .matches(/^[A-Za-z0-9+/]*={0,2}$/, 'the log is not base64'),
}).noUnknown();
