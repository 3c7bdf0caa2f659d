import { array, boolean, mixed, number, object, string, type ObjectSchema } from 'yup';
import type { Rational } from '../time/index.js';
import { EASES, type Ease, type EffectValue, type Keyframe } from './effect.js';
import {
  FRAMINGS,
  TRANSITION_KINDS,
  timelineFaults,
  type Foreign,
  type Framing,
  type FrameSize,
  type Timeline,
  type Track,
  type TransitionKind,
} from './model.js';

const integer = () => number().strict().integer().required();
const MOST_FRAMES = 100_000_000;
const MOST_VALUE = 1e6;

export const rationalSchema: ObjectSchema<Rational> = object({
  num: integer().min(Number.MIN_SAFE_INTEGER).max(Number.MAX_SAFE_INTEGER),
  den: integer().min(1).max(Number.MAX_SAFE_INTEGER),
}).noUnknown();

export const rateSchema: ObjectSchema<Rational> = object({
  num: integer().min(1).max(1_000_000),
  den: integer().min(1).max(1_000_000),
}).noUnknown();

/** H.264 wants even sizes; 16384 is the largest that any level of it allows. */
export const frameSizeSchema: ObjectSchema<FrameSize> = object({
  width: integer().min(16).max(16_384),
  height: integer().min(16).max(16_384),
}).noUnknown();

const identifier = () =>
  string()
    .strict()
    .required()
    .max(64)
    .matches(/^[\w-]+$/, '${path} is not an identifier');

/** From 1 % to 1000 %, forwards or backwards. */
const speedSchema = object({
  num: integer().min(-1_000_000_000).max(1_000_000_000),
  den: integer().min(1).max(1_000_000_000),
})
  .noUnknown()
  .test(
    'speed',
    'A speed lies between 1 % and 1000 %, forwards or backwards.',
    (value: Rational | undefined) => {
      const speed = value ? Math.abs(value.num / value.den) : 1;
      return speed >= 0.01 && speed <= 10;
    },
  );

/** Most of it that is kept, as JSON. */
const MOST_FOREIGN = 200_000;

const isSmallEnough = (value: object | undefined): boolean =>
  JSON.stringify(value ?? null).length <= MOST_FOREIGN;

const nestSchema = object({
  id: identifier(),
  lead: integer().min(0).max(MOST_FRAMES),
  print: string().strict().defined(),
})
  .noUnknown()
  .optional()
  .default(undefined);

const foreignSchema = object({
  metadata: mixed<object>().optional(),
  fields: mixed<object>().optional(),
  effects: array(mixed<object>().required()).optional().max(200),
  items: array(
    object({
      frame: integer().min(0).max(MOST_FRAMES),
      length: integer().min(0).max(MOST_FRAMES),
      item: mixed<object>().required(),
      nest: nestSchema,
    }).noUnknown(),
  )
    .optional()
    .max(1000),
  isNested: boolean().strict().optional(),
  nest: identifier().optional(),
  media: object({ key: string().strict().required().max(500), references: mixed<object>().required() })
    .noUnknown()
    .optional()
    .default(undefined),
  stack: mixed<Omit<Foreign, 'stack'>>().optional(),
})
  .noUnknown()
  .optional()
  .default(undefined)
  .test('size', '${path} is too large to be kept.', isSmallEnough);

const keyframeSchema: ObjectSchema<Keyframe> = object({
  frame: integer().min(-MOST_FRAMES).max(MOST_FRAMES),
  value: number().strict().required().min(-MOST_VALUE).max(MOST_VALUE),
  ease: string<Ease>().strict().oneOf(EASES).required(),
}).noUnknown();

const isValue = (value: unknown): value is EffectValue =>
  typeof value === 'boolean' ||
  (typeof value === 'string' && value.length <= 500) ||
  (typeof value === 'number' && Math.abs(value) <= MOST_VALUE);

const isRecord = (value: unknown, isEntry: (entry: unknown) => boolean): value is object =>
  typeof value === 'object' &&
  value !== null &&
  !Array.isArray(value) &&
  Object.keys(value).length <= 40 &&
  Object.values(value).every(isEntry);

const rowSchema = array(keyframeSchema.required())
  .required()
  .min(1)
  .max(500)
  .test('sorted', 'Keyframes stand in the order of their frames, one at a frame.', (row) =>
    row.every((each, at) => at === 0 || row[at - 1]!.frame < each.frame),
  );

// The kind of an effect defines its values; `effectFaults` in core/render checks them.
export const effectSchema = object({
  id: identifier(),
  kind: string().strict().required().max(40),
  enabled: boolean().strict().required(),
  values: mixed<Readonly<Record<string, EffectValue>>>((value): value is Record<string, EffectValue> =>
    isRecord(value, isValue),
  ).required(),
  keyframes: mixed<Readonly<Record<string, readonly Keyframe[]>>>(
    (value): value is Record<string, readonly Keyframe[]> =>
      isRecord(value, (row) => rowSchema.isValidSync(row, { strict: true })),
  ).optional(),
}).noUnknown();

const clipSchema = object({
  id: identifier(),
  name: string().strict().defined().max(500),
  sourceId: identifier(),
  start: integer().min(0).max(MOST_FRAMES),
  length: integer().min(1).max(MOST_FRAMES),
  sourceIn: rationalSchema.required(),
  enabled: boolean().strict().required(),
  speed: speedSchema.optional().default(undefined),
  keepsPitch: boolean().strict().optional(),
  effects: array(effectSchema.required()).optional().max(50),
  fades: object({ in: integer().min(0).max(MOST_FRAMES), out: integer().min(0).max(MOST_FRAMES) })
    .noUnknown()
    .optional()
    .default(undefined),
  framing: string<Framing>().strict().oneOf(FRAMINGS).optional(),
  foreign: foreignSchema,
}).noUnknown();

const markerSchema = object({
  id: identifier(),
  frame: integer().min(0).max(MOST_FRAMES),
  name: string().strict().defined().max(500),
  note: string().strict().defined().max(5000),
  foreign: foreignSchema,
}).noUnknown();

const transitionSchema = object({
  id: identifier(),
  kind: string<TransitionKind>().strict().oneOf(TRANSITION_KINDS).required(),
  at: integer().min(1).max(MOST_FRAMES),
  before: integer().min(0).max(100_000),
  after: integer().min(0).max(100_000),
  colour: string()
    .strict()
    .optional()
    .matches(/^#[0-9a-f]{6}$/, '${path} is not a colour as #rrggbb'),
  foreign: foreignSchema,
}).noUnknown();

const trackSchema = object({
  id: identifier(),
  kind: string<Track['kind']>().strict().oneOf(['picture', 'sound']).required(),
  name: string().strict().defined().max(200),
  enabled: boolean().strict().required(),
  clips: array(clipSchema.required()).required().max(20_000),
  transitions: array(transitionSchema.required()).optional().max(20_000),
  foreign: foreignSchema,
}).noUnknown();

export const timelineSchema = object({
  rate: rateSchema.required(),
  startFrame: integer().min(0).max(MOST_FRAMES),
  dropFrame: boolean().strict().optional(),
  size: frameSizeSchema.required(),
  tracks: array(trackSchema.required()).required().min(1).max(64),
  markers: array(markerSchema.required()).optional().max(10_000),
  foreign: foreignSchema,
})
  .noUnknown()
  .test('faults', (value, context) => {
    const fault = firstFault(value);
    return fault ? context.createError({ message: fault }) : true;
  });

// Yup calls this test although fields are missing; their own schemas report them.
function firstFault(timeline: Timeline): string | undefined {
  try {
    return timelineFaults(timeline)[0];
  } catch {
    return 'the timeline is not complete';
  }
}
