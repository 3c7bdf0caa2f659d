import { extent, median } from 'd3-array';
import { array, boolean, number, object, string, type InferType } from 'yup';
import { COMPOSE_PROCESSORS, DECODE_PATHS } from '../levers/index.js';
import { CACHE_FORMAT_IDS } from '../media/index.js';

/** The form of a saved rig; a file of another version is refused. */
export const RIG_VERSION = 1;

const text = (most = 200) => string().strict().max(most).defined();
const amount = () => number().strict().min(0).required();
const perhaps = () => number().strict().nullable().defined();
const side = () => number().strict().integer().min(1).max(20_000).required();

/** A measured number. `low` and `high` are the least and the most of its repetitions. */
export const figureSchema = object({
  value: amount(),
  low: amount(),
  high: amount(),
  /** Number of measurements, runs included. */
  times: number().strict().integer().min(1).required(),
  method: text(),
  /** ISO 8601 in UTC. */
  measuredAt: string().strict().required().max(40),
  /** Whether something else kept the machine busy meanwhile. */
  disturbed: boolean().strict().required(),
}).noUnknown();

export type Figure = InferType<typeof figureSchema>;

const perhapsFigure = () => figureSchema.nullable().defined().default(null);

const driveSchema = object({
  /** Mount point, or the name of a simulated drive. */
  drive: string().strict().required().max(400),
  kind: string()
    .strict()
    .oneOf(['rotating', 'solid state', 'network', 'removable', 'memory', 'unknown'] as const)
    .required(),
  fileSystem: text(),
  /** Content of the drive: media, light copies, exports. */
  holds: array(text().required()).required().max(10),
  /** Bytes in all and free. */
  bytes: amount(),
  freeBytes: amount(),
  readBytesPerSecond: perhapsFigure(),
  /** With four streams at once, all together. */
  readManyBytesPerSecond: perhapsFigure(),
  writeBytesPerSecond: perhapsFigure(),
  randomReadMs: perhapsFigure(),
  problem: text(500).nullable(),
}).noUnknown();

export type DriveFigures = InferType<typeof driveSchema>;

const decoderSchema = object({
  decoder: string()
    .strict()
    .oneOf(['browser', 'server'] as const)
    .required(),
  codec: text().required(),
  profile: text(),
  chroma: text(),
  bitDepth: amount(),
  width: side(),
  height: side(),
  bitsPerFrame: amount(),
  /** Share of decoding a picture of so many bits that goes with its bits; absent where it was not measured. */
  bitShare: number().strict().min(0).max(1).optional().default(undefined),
  /** Path that the browser decoded by; none where it did not decode. */
  acceleration: string()
    .strict()
    .oneOf([...DECODE_PATHS, 'unknown', 'none'] as const)
    .required(),
  /** Paths that the browser offered; each was tried. Absent in figures from before that. */
  paths: array(string().strict().oneOf(DECODE_PATHS).required()).max(2).optional().default(undefined),
  /** null when it cannot be decoded so. */
  msPerFrame: perhapsFigure(),
  /** Frames a second of several decoders at once, all together. */
  together: array(object({ decoders: amount(), framesPerSecond: amount() }).noUnknown().required())
    .required()
    .max(16),
  problem: text(500).nullable(),
  /** From setting the decoder up, the server's in the middle of a source, until its first picture. */
  startMs: figureSchema.optional().default(undefined),
  /** From leaving its place while it was busy until its first picture elsewhere. */
  restartMs: figureSchema.optional().default(undefined),
}).noUnknown();

export type DecodeFigures = InferType<typeof decoderSchema>;

const kernelSchema = object({
  stage: string()
    .strict()
    .oneOf(['scale', 'effects', 'compose'] as const)
    .required(),
  kernel: text().required(),
  on: string().strict().oneOf(COMPOSE_PROCESSORS).required(),
  /** Time per megapixel of its result, or of its input where `of` is set so, ms. */
  msPerMegapixel: figureSchema.required(),
  of: string()
    .strict()
    .oneOf(['source', 'result'] as const)
    .required(),
}).noUnknown();

export type KernelFigures = InferType<typeof kernelSchema>;

const showSchema = object({
  width: side(),
  height: side(),
  ms: figureSchema.required(),
  /** What composed the picture; the processor where absent. */
  on: string().strict().oneOf(COMPOSE_PROCESSORS).optional().default(undefined),
  /** Time the browser takes of all cores to present it, ms. */
  presentMs: figureSchema.optional().default(undefined),
}).noUnknown();

const pathSchema = object({
  use: string()
    .strict()
    .oneOf(['decode', 'encode'] as const)
    .required(),
  name: text().required(),
  codec: text(),
  works: boolean().strict().required(),
  /** Why not, in ffmpeg's words or in Hone's. */
  reason: text(500),
  /** Frames a second; absent in figures from before it was measured. */
  framesPerSecond: figureSchema.optional().default(undefined),
  /** Frames a second of the same on the processor. */
  processorFramesPerSecond: figureSchema.optional().default(undefined),
  /** Of what was encoded, PSNR in dB. */
  likeness: number().strict().min(0).max(200).optional().default(undefined),
}).noUnknown();

export type HardwarePath = InferType<typeof pathSchema>;

/** A coding of cached stretches, as it was tried; what decoding it takes is among the decode figures. */
const cacheFormatSchema = object({
  format: string().strict().oneOf(CACHE_FORMAT_IDS).required(),
  works: boolean().strict().required(),
  /** Why not, in ffmpeg's words or in Hone's. */
  reason: text(500),
  /** Frames a second that are encoded; absent where it does not work. */
  framesPerSecond: figureSchema.optional().default(undefined),
  /** Pixels of the frames that it was tried with. */
  pixels: amount(),
  /** Bytes of a frame. */
  frameBytes: amount(),
  /** PSNR in dB; null where every sample came back as it was. */
  likeness: number().strict().min(0).max(200).nullable().defined(),
}).noUnknown();

export type CacheFormatFigures = InferType<typeof cacheFormatSchema>;

const learnedSchema = object({
  /** Natural logarithm of the factor by which a stage costs more than its figures say. */
  log: number().strict().min(-3).max(3).required(),
  variance: amount().max(10),
}).noUnknown();

/** Calibration of a machine by its runs, for each stage. */
const calibrationSchema = object({
  read: learnedSchema.required(),
  decode: learnedSchema.required(),
  scale: learnedSchema.required(),
  effects: learnedSchema.required(),
  compose: learnedSchema.required(),
  show: learnedSchema.required(),
  /** Factors by kind of coding. */
  codings: array(
    learnedSchema
      .shape({ coding: text(100).required() })
      .noUnknown()
      .required(),
  )
    .max(60)
    .optional(),
  /** Factors of frames that are composed on the graphics processor; absent until a run was. */
  onGraphics: object({
    effects: learnedSchema.required(),
    compose: learnedSchema.required(),
    show: learnedSchema.required(),
  })
    .noUnknown()
    .optional()
    .default(undefined),
  /** Variation of the speed of the cores. */
  unsteadiness: object({
    variance: amount().max(10),
    seconds: amount(),
    ofRuns: amount().max(10),
    runs: amount(),
  })
    .noUnknown()
    .optional()
    .default(undefined),
  /** Residuals of played timelines: natural logarithm of the factor of all their costs. */
  residuals: array(
    object({
      key: text(40).required(),
      log: number().strict().min(-3).max(3).required(),
      runs: number().strict().integer().min(1).required(),
    })
      .noUnknown()
      .required(),
  )
    .max(40)
    .optional(),
  /** Key of the run that was learned last. */
  lastPlayed: text(400).optional(),
}).noUnknown();

export const rigSchema = object({
  version: number().strict().oneOf([RIG_VERSION], 'This file is of another version of Hone.').required(),
  id: string().strict().required().max(64),
  name: string().strict().required().max(200),
  simulated: boolean().strict().required(),
  note: text(500),
  thoroughness: string()
    .strict()
    .oneOf(['quick', 'thorough', 'given'] as const)
    .required(),
  measuredAt: string().strict().required().max(40),
  machine: object({
    model: text(),
    cores: number().strict().integer().min(1).max(1024).required(),
    memoryBytes: amount(),
    freeMemoryBytes: amount(),
    power: string()
      .strict()
      .oneOf(['mains', 'battery', 'unknown'] as const)
      .required(),
    clockMhz: perhaps(),
    temperatureC: perhaps(),
    /** Share of all cores that others used before the measurement, 0 to 1. */
    loadByOthers: amount(),
  })
    .noUnknown()
    .required(),
  browser: text(400),
  graphics: object({
    renderer: text(400),
    /** A renderer in software counts as no acceleration. */
    software: boolean().strict().required(),
    /** A graphics processor that the system has and the browser does not use. */
    stronger: text(400).nullable(),
    displayHz: perhaps(),
  })
    .noUnknown()
    .required(),
  /** Frames a second that ffmpeg decodes of the heaviest source, with one thread and with all. */
  oneCoreFps: perhapsFigure(),
  allCoresFps: perhapsFigure(),
  drives: array(driveSchema.required()).required().max(50),
  decoders: array(decoderSchema.required()).required().max(400),
  kernels: array(kernelSchema.required()).required().max(100),
  shows: array(showSchema.required()).required().max(50),
  hardwarePaths: array(pathSchema.required()).required().max(100),
  /** Absent in rigs from before there was a choice. */
  cacheFormats: array(cacheFormatSchema.required()).max(20).optional().default(undefined),
  /** Absent until a run was learned from. */
  calibration: calibrationSchema.optional().default(undefined),
}).noUnknown();

export type Rig = InferType<typeof rigSchema>;

/** Why a rig does not describe this machine any more; empty while it does. */
export function staleReasons(
  rig: Rig,
  now: {
    readonly model: string;
    readonly cores: number;
    readonly memoryBytes: number;
    readonly browser: string;
    readonly renderer: string;
  },
): string[] {
  const reasons: string[] = [];
  const { machine } = rig;
  const sameMemory = Math.abs(machine.memoryBytes - now.memoryBytes) < 0.02 * now.memoryBytes;
  if (machine.model !== now.model || machine.cores !== now.cores || !sameMemory)
    reasons.push('another machine');
  if (rig.browser !== now.browser) reasons.push('another browser');
  if (rig.graphics.renderer !== now.renderer) reasons.push('another graphics driver');
  return reasons;
}

/**
 * The middle of repeated measurements, with their spread.
 * @throws RangeError when there are none
 */
export function figureOf(
  values: readonly number[],
  about: Pick<Figure, 'method' | 'measuredAt' | 'disturbed'>,
): Figure {
  if (values.length === 0) throw new RangeError('A figure needs at least one measurement.');
  const [low, high] = extent(values) as [number, number];
  return {
    value: median(values)!,
    low,
    high,
    times: values.length,
    ...about,
  };
}
