import { array, number, object, string } from 'yup';
import { deliverySchema, type Delivery } from '../render/index.js';
import { COPY_DIVISORS, type CopyDivisor } from '../media/index.js';

import {
  frameSizeSchema,
  rateSchema,
  timelineSchema,
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
}

export const projectChangeSchema = object({
  revision: number().strict().integer().min(0).required(),
  timeline: timelineSchema.required(),
  delivery: deliverySchema.required(),
}).noUnknown();

const ids = () => array(string().strict().required().max(64)).required().min(1).max(1000);

export interface CopyRequest {
  readonly sourceIds: readonly string[];
  readonly divisor: CopyDivisor;
}

export const copyRequestSchema = object({
  sourceIds: ids(),
  divisor: number<CopyDivisor>().strict().oneOf(COPY_DIVISORS).required(),
}).noUnknown();

export interface ImportRequest {
  readonly fileIds: readonly string[];
}

export const importRequestSchema = object({ fileIds: ids() }).noUnknown();
