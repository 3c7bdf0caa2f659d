import {
  array,
  boolean,
  mixed,
  number,
  object,
  string,
  type InferType,
  type ObjectSchema,
  type Schema,
} from 'yup';
import { stageRecord, STAGES, type Stage } from '../playback/index.js';
import type { FrameRange } from '../timeline/index.js';

const amount = () => number().strict().min(0).required();
const count = () => amount().integer();
const text = () => string().strict().required();
const texts = () => array(text()).strict().required();
const flag = () => boolean().strict().required();

/**
 * Evidence of each kind of finding: what its sentence is made of. The first group are bottlenecks, which drop frames; the
 * others are known of machine, media and run without a dropped frame.
 */
const EVIDENCE = {
  drive: object({
    drive: text(),
    wantedBytesPerSecond: amount(),
    peakBytesPerSecond: amount(),
    driveBytesPerSecond: amount(),
    /** Files that are read from it at once. */
    readers: count(),
  }),
  /** All cores together. ms are those of a frame that passes through the stage. */
  cores: object({
    sources: texts(),
    decodeMs: amount(),
    scaleMs: amount(),
    effectsMs: amount(),
    composeMs: amount(),
    showMs: amount(),
    budgetMs: amount(),
    corePercent: amount(),
  }),
  'serial-decoding': object({
    sources: texts(),
    /** Time of one decoder for each frame of the timeline, ms. */
    decoderMs: amount(),
    budgetMs: amount(),
    corePercent: amount(),
  }),
  'long-groups': object({
    sources: texts(),
    /** Time of one decoder in a second, to reach the first frames after cuts, ms. */
    reachMs: amount(),
    corePercent: amount(),
  }),
  'decoder-start': object({
    sources: texts(),
    /** Number of decoders that start in a second. */
    startMs: amount(),
  }),
  'rate-mismatch': object({ sources: texts(), decodedPerShown: amount() }),
  'oversized-source': object({ sources: texts() }),
  effects: object({ effects: texts(), effectsMs: amount(), budgetMs: amount() }),
  scaling: object({ scaleMs: amount(), budgetMs: amount() }),
  composing: object({ composeMs: amount(), budgetMs: amount() }),
  presentation: object({ showMs: amount(), budgetMs: amount() }),
  /** Frames are dropped where no stage comes near the frame budget. */
  unexplained: object({
    busiestStage: string<Stage>().strict().oneOf(STAGES).required(),
    usePercent: amount(),
  }),

  'occluded-clips': object({ clips: count(), mostLayers: count() }),
  'full-drive': object({ drive: text(), freePercent: amount() }),
  'hardware-decoding': object({ codec: text(), path: text() }),
  'weaker-graphics': object({ renderer: text(), stronger: text() }),
  'slow-copy-drive': object({ copyDrive: text(), mediaDrive: text(), copyDriveBytesPerSecond: amount() }),
  'shared-drive': object({ drive: text(), usePercent: amount() }),
  'unusable-copies': object({ copies: count(), states: texts() }),
  memory: object({ waitingPictures: amount(), readAheadSeconds: amount() }),
  'slow-start': object({ firstFrameMs: amount() }),
  'slow-scrubbing': object({ medianMs: amount(), worstTwentiethMs: amount(), isMeasured: flag() }),
  'soft-picture': object({ width: count(), height: count(), pixelPercent: amount(), isFromCopies: flag() }),
  'picture-behind-sound': object({ latenessMs: amount(), framesLate: amount() }),
  'storage-space': object({ plannedBytes: amount(), freeBytes: amount() }),
  'background-load': object({ loadPercent: amount(), isOfRun: flag() }),
  /** The same work costs so many times more at the end of a run. */
  slowdown: object({ ratio: amount() }),
  sound: object({ mixPercent: amount(), gapMs: amount() }),
  'real-time': object({ peakUsePercent: amount() }),
};

type EvidenceSchemas = typeof EVIDENCE;
export type FindingKind = keyof EvidenceSchemas;
export const FINDING_KINDS = Object.keys(EVIDENCE) as FindingKind[];

/** Fields of all kinds of findings. */
export interface FindingFacts {
  /** The stage that it shows in; null where it shows in none. */
  readonly stage: Stage | null;
  /** Where it holds playback back, or applies. */
  readonly ranges: readonly FrameRange[];
  /** Frames dropped in its ranges, as the diagnosed log has them. */
  readonly dropped: number;
  /** Frames of the ranges that the run dropped; null where it played none of them. */
  readonly measuredDrops: number | null;
  /** Frames that the prediction drops there. */
  readonly predictedDrops: number;
  /**
   * How busy each stage is in its ranges: work for a frame in per cent of the frame budget, of what the stage has to work
   * with (one decoder, one worker, one engine, one drive). Waiting is not work. Null where no frame is dropped.
   */
  readonly loadPercent: Readonly<Record<Stage, number>> | null;
}

/** Evidence by kind. */
export type Evidence = { readonly [Kind in FindingKind]: Readonly<InferType<EvidenceSchemas[Kind]>> };

export interface FindingOf<Kind extends FindingKind> extends FindingFacts {
  readonly kind: Kind;
  readonly evidence: Evidence[Kind];
}

/** A cause of dropped frames, or of a soft or slow preview, with the evidence of its kind. */
export type Finding = { [Kind in FindingKind]: FindingOf<Kind> }[FindingKind];

const NOTHING: FindingFacts = {
  stage: null,
  ranges: [],
  dropped: 0,
  measuredDrops: null,
  predictedDrops: 0,
  loadPercent: null,
};

/** A finding of one kind. @param facts what differs from a finding without a stage, range or dropped frame */
export const findingOf = <Kind extends FindingKind>(
  kind: Kind,
  evidence: Evidence[Kind],
  facts: Partial<FindingFacts> = {},
): FindingOf<Kind> => ({ ...NOTHING, ...facts, kind, evidence });

const loads = () => object(stageRecord(() => amount())).noUnknown();

const schemaOf = (evidence: ObjectSchema<object>): Schema =>
  object({
    kind: text(),
    stage: string<Stage>()
      .strict()
      .nullable()
      .oneOf([...STAGES, null])
      .defined(),
    ranges: array(object({ from: count(), to: count() }).noUnknown().required())
      .strict()
      .max(100_000)
      .required(),
    dropped: count(),
    measuredDrops: count().nullable().defined(),
    predictedDrops: count(),
    loadPercent: loads().nullable().default(null).defined(),
    evidence: evidence.noUnknown().required(),
  }).noUnknown();

const SCHEMAS = new Map(Object.entries(EVIDENCE).map(([kind, evidence]) => [kind, schemaOf(evidence)]));

/** Whether a value from outside is a finding with exactly the evidence of its kind. */
export const isFinding = (value: unknown): value is Finding =>
  SCHEMAS.get(String((value as { kind?: unknown } | null)?.kind))?.isValidSync(value, { strict: true }) ??
  false;

/** Findings of a run, as they are sent to be kept with it. */
export const runFindingsSchema = object({
  findings: array(mixed(isFinding).required()).strict().max(100).required(),
}).noUnknown();
