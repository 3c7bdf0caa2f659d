import { equal, type Rational } from '../time/index.js';
import type { FrameSize } from '../timeline/index.js';
import { array, boolean, mixed, object, string } from 'yup';
import { serverDecodeReason } from './decode-path.js';
import { shownSize, type SourceFacts, type Stills } from './facts.js';
import type { PictureStructure } from './structure.js';

/** Properties of a source that filters compare. */
export interface Filtered {
  readonly id: string;
  readonly name: string;
  readonly bin: string;
  readonly tags: readonly string[];
  readonly drive: string;
  readonly facts: SourceFacts | null;
  readonly stills: Stills | null;
  readonly structure: PictureStructure | null;
}

export const CONDITION_KINDS = [
  'larger',
  'longGop',
  'bitRate',
  'rate',
  'used',
  'noCopy',
  'drive',
  'interlaced',
  'server',
  'text',
  'bin',
] as const;

export type ConditionKind = (typeof CONDITION_KINDS)[number];

/** One thing that a source must be, or must not be. */
export interface Condition {
  readonly kind: ConditionKind;
  readonly not: boolean;
  /** Mbit/s for `bitRate`; for `text` the text to find in name, bin and tags; for `bin` its name. */
  readonly value: number | string | null;
}

/** A set of conditions that has a name; all of them must hold. */
export interface SourceFilter {
  readonly name: string;
  readonly conditions: readonly Condition[];
}

export const conditionSchema = object({
  kind: string<ConditionKind>().strict().oneOf(CONDITION_KINDS).required(),
  not: boolean().strict().required(),
  value: mixed<number | string>()
    .test('value', '${path} must be a number or a text', (value: unknown) => {
      return (
        value === null || typeof value === 'number' || (typeof value === 'string' && value.length <= 200)
      );
    })
    .nullable()
    .defined(),
}).noUnknown();

export const sourceFiltersSchema = array(
  object({
    name: string().strict().trim().required().max(80),
    conditions: array(conditionSchema.required()).required().max(20),
  })
    .noUnknown()
    .required(),
)
  .required()
  .max(50);

/** A bit rate that a condition begins with. */
export const USUAL_MEGABITS = 20;

/** Reference values of the conditions. */
export interface FilterContext {
  readonly workingSize: FrameSize;
  readonly rate: Rational;
  readonly usedIds: ReadonlySet<string>;
  readonly copies: readonly { readonly sourceId: string; readonly state: string }[];
  /** Read rate of a drive, bytes per second; undefined until it is measured. */
  readonly driveReads: (drive: string) => number | undefined;
}

/** Whether a source meets all conditions. One that is not known well enough yet meets none that asks for more. */
export function matches(source: Filtered, conditions: readonly Condition[], context: FilterContext): boolean {
  return conditions.every((condition) => holds(source, condition, context) !== condition.not);
}

function holds(source: Filtered, { kind, value }: Condition, context: FilterContext): boolean {
  const picture = source.facts?.picture;
  switch (kind) {
    case 'larger': {
      if (!picture) return false;
      const { width, height } = shownSize(picture);
      const { workingSize } = context;
      return width * height > workingSize.width * workingSize.height;
    }
    case 'longGop':
      return source.structure?.kind === 'long-GOP';
    case 'bitRate':
      return (source.facts?.bitsPerSecond ?? 0) > Number(value ?? USUAL_MEGABITS) * 1e6;
    case 'rate':
      return picture !== null && picture !== undefined && !equal(picture.rate, context.rate);
    case 'used':
      return context.usedIds.has(source.id);
    case 'noCopy':
      return !context.copies.some((copy) => copy.sourceId === source.id && copy.state === 'ready');
    case 'drive': {
      const reads = context.driveReads(source.drive);
      const peak = source.structure?.peakBitsPerSecond;
      return reads !== undefined && peak !== undefined && peak / 8 > reads;
    }
    case 'interlaced':
      return picture !== null && picture !== undefined && picture.scan !== 'progressive';
    case 'server':
      return source.facts !== null && serverDecodeReason(source.facts, source.stills) !== null;
    case 'text': {
      const text = String(value ?? '').toLowerCase();
      const words = [source.name, source.bin, source.facts?.picture?.codec ?? '', ...source.tags];
      return words.some((word) => word.toLowerCase().includes(text));
    }
    case 'bin':
      return source.bin === value || source.bin.startsWith(`${String(value)}/`);
  }
}
