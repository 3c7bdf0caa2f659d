import {
  array,
  boolean,
  mixed,
  number,
  object,
  string,
  type AnyObject,
  type ObjectSchema,
  type Schema,
} from 'yup';
import { isFinding } from '../findings/index.js';
import { tuningSchema } from '../levers/index.js';
import { CACHE_FORMAT_CHOICES, COPY_DIVISORS, sourceFiltersSchema } from '../media/index.js';
import { runFactsSchema, scrubFactsSchema, stageRecord } from '../playback/index.js';
import { deliverySchema } from '../render/index.js';
import { FFMPEG_CHOICES, rigSchema } from '../machine/index.js';
import { frameSizeSchema, rateSchema, timelineSchema } from '../timeline/index.js';

// Replies as the server gives them; records.ts has the same as types. A test holds real replies against these.

const text = () => string().strict().defined();
const perhapsText = () => string().strict().nullable().defined();
const amount = () => number().strict().required();
const perhapsAmount = () => number().strict().nullable().defined();
const yes = () => boolean().strict().required();
const perhaps = <T extends AnyObject>(schema: ObjectSchema<T>) => schema.nullable().defined().default(null);
const rational = () => object({ num: amount(), den: amount() }).noUnknown();
const list = (schema: Schema) => array(schema).required();

export const projectReply = object({
  id: text(),
  name: text(),
  timeline: timelineSchema.required(),
  tuning: tuningSchema.required(),
  delivery: deliverySchema.required(),
  filters: sourceFiltersSchema,
  revision: amount(),
  ancestors: array(number().required()).required(),
  takesFirstShape: boolean().required(),
  createdAt: text(),
}).noUnknown();

export const revisionReply = object({
  revision: number().required(),
  savedAt: text(),
  clips: number().required(),
  frames: number().required(),
}).noUnknown();

const pictureFacts = object({
  codec: text(),
  profile: text(),
  level: perhapsAmount(),
  size: frameSizeSchema.required(),
  pixelAspect: rational().required(),
  rotation: amount(),
  rate: rateSchema.required(),
  averageRate: rational().required(),
  realRate: perhaps(rational()),
  constantRate: yes(),
  frameCount: amount(),
  pixelFormat: text(),
  chroma: text(),
  bitDepth: amount(),
  alpha: yes(),
  scan: text(),
  colour: object({
    matrix: perhapsText(),
    primaries: perhapsText(),
    transfer: perhapsText(),
    range: perhapsText(),
  })
    .noUnknown()
    .required(),
  timescale: amount(),
}).noUnknown();

const sourceFacts = object({
  version: amount(),
  container: text(),
  timecode: perhapsText(),
  duration: rational().required(),
  pictureStart: rational().required(),
  bytes: amount(),
  bitsPerSecond: amount(),
  picture: perhaps(pictureFacts),
  sound: perhaps(object({ codec: text(), sampleRate: amount(), channels: amount() }).noUnknown()),
}).noUnknown();

const spread = () =>
  object({ shortest: amount(), median: amount(), longest: amount() }).noUnknown().required();

const structure = object({
  packets: amount(),
  keyFrames: amount(),
  kind: string().strict().oneOf(['intra', 'long-GOP']).required(),
  gopFrames: spread(),
  reordered: yes(),
  pictureBytes: amount(),
  averageBitsPerSecond: amount(),
  peakBitsPerSecond: amount(),
  peakAtSeconds: amount(),
  bitsPerFrame: amount(),
  bitsPerPixel: amount(),
  stepMs: spread(),
  constantRate: yes(),
  coldStartFrames: object({ mean: amount(), most: amount() }).noUnknown().required(),
  unreferenced: string().strict().oneOf(['reordered', 'between neighbours']).optional(),
  unreferencedShare: amount().optional(),
}).noUnknown();

export const sourceReply = object({
  id: text(),
  projectId: text(),
  name: text(),
  state: string().strict().oneOf(['expected', 'ready', 'growing', 'unreadable', 'missing']).required(),
  problem: perhapsText(),
  bytes: amount(),
  facts: perhaps(sourceFacts),
  contentHash: perhapsText(),
  folder: text(),
  drive: text(),
  structure: perhaps(structure),
  bin: text(),
  tags: list(text()),
  stills: perhaps(object({ first: amount(), count: amount(), rate: rational().required() }).noUnknown()),
  stamp: text(),
  strip: perhaps(object({ pictures: amount(), width: amount(), height: amount() }).noUnknown()),
  sound: perhaps(object({ peaksPerSecond: amount(), timesRealTime: amount(), decoded: yes() }).noUnknown()),
  damage: array(object({ fromSeconds: amount(), toSeconds: amount() }).noUnknown())
    .nullable()
    .defined(),
}).noUnknown();

const divisor = () => number().strict().oneOf(COPY_DIVISORS).required();

export const copyReply = object({
  id: text(),
  sourceId: text(),
  projectId: text(),
  divisor: divisor(),
  format: text(),
  folder: text(),
  state: string().strict().oneOf(['making', 'ready', 'failed', 'stale']).required(),
  width: amount(),
  height: amount(),
  alphaRow: perhapsAmount(),
  bytes: amount(),
  likeness: perhaps(object({ ssim: amount(), psnrDb: amount(), frames: amount() }).noUnknown()),
  madeInMs: perhapsAmount(),
}).noUnknown();

export const estimateReply = object({
  sourceId: text(),
  divisor: divisor(),
  bytes: amount(),
  seconds: amount(),
  width: amount(),
  height: amount(),
  sampledFrames: amount(),
}).noUnknown();

const contentRun = object({
  kind: text(),
  counters: array(rational()).required(),
  steps: array(rational()).required(),
  count: amount(),
}).noUnknown();

export const renderCacheSettingsReply = object({
  quotaBytes: amount(),
  freeBytes: amount(),
  folder: text(),
  chosenFolder: text().nullable(),
  format: string().strict().oneOf(CACHE_FORMAT_CHOICES).required(),
}).noUnknown();

export const cachedStretchReply = object({
  id: text(),
  projectId: text(),
  rate: rational(),
  size: frameSizeSchema.required(),
  frameCount: amount(),
  content: list(contentRun),
  bytes: amount(),
  format: text(),
  madeAt: text(),
  madeInMs: amount(),
  usedAt: text(),
}).noUnknown();

export const jobReply = object({
  id: text(),
  projectId: text(),
  kind: text(),
  title: text(),
  subjectId: text(),
  state: string().strict().oneOf(['waiting', 'running', 'done', 'failed', 'cancelled']).required(),
  progress: amount(),
  secondsLeft: perhapsAmount(),
  problem: perhapsText(),
  createdAt: text(),
  ranges: array(object({ from: amount(), to: amount() }).noUnknown()).optional(),
}).noUnknown();

const pacing = object({
  wanted: amount(),
  shown: amount(),
  dropped: amount(),
  worstSecondDropShare: number().strict().min(0).max(1).optional(),
  dropShares: array(number().strict().min(0).max(1).required()).optional(),
  longestFreezeMs: amount(),
  firstFrameMs: perhapsAmount(),
  firstDropMs: perhapsAmount(),
  meanLatenessMs: perhapsAmount(),
  framesPerSecondShown: amount(),
  stageMs: object(stageRecord(() => amount()))
    .noUnknown()
    .required(),
  decodedPerFrame: amount(),
}).noUnknown();

export const projectEntryReply = object({
  id: text(),
  name: text(),
  createdAt: text(),
  frames: amount(),
  rate: rateSchema.required(),
  size: frameSizeSchema.required(),
  picture: perhaps(object({ sourceId: text(), stamp: text(), pictures: amount() }).noUnknown()),
  lastRun: perhaps(pacing),
}).noUnknown();

const runFields = {
  id: text(),
  projectId: text(),
  startedAt: text(),
  facts: runFactsSchema.required(),
  summary: pacing.required(),
  notes: text(),
  findings: array(mixed(isFinding).required()).nullable().defined(),
};

export const runReply = object(runFields).noUnknown();

const sample = object({
  atMs: amount(),
  cores: list(amount()),
  readBytesPerSecond: perhapsAmount(),
  usedMemoryBytes: amount(),
  serverMemoryBytes: amount(),
  power: text(),
  graphicsShare: number().strict().min(0).max(1).nullable().optional(),
}).noUnknown();

export const samplesReply = list(sample.required());

export const runReportReply = object({
  ...runFields,
  samples: samplesReply,
  frames: list(mixed().required()),
}).noUnknown();

export const scrubReply = object({
  id: text(),
  projectId: text(),
  startedAt: text(),
  facts: scrubFactsSchema.required(),
}).noUnknown();

const proof = object({
  originals: list(object({ sourceId: text(), name: text(), bytes: amount(), sha256: text() }).noUnknown()),
  otherInputs: list(text()),
  graphSha256: text(),
  filters: text(),
  frames: list(mixed().required()),
  frameCount: amount(),
  expectedFrameCount: amount(),
  bytes: amount(),
  sha256: text(),
}).noUnknown();

export const exportReply = object({
  id: text(),
  projectId: text(),
  name: text(),
  state: string().strict().oneOf(['making', 'ready', 'failed', 'cancelled']).required(),
  delivery: deliverySchema.required(),
  proof: perhaps(proof),
  bytes: amount(),
  createdAt: text(),
}).noUnknown();

export const folderReply = object({
  id: text(),
  label: text(),
  files: list(object({ id: text(), name: text(), bytes: amount() }).noUnknown()),
  children: list(
    object({
      id: text(),
      label: text(),
      kind: string().strict().oneOf(['media', 'home', 'drive', 'folder']).required(),
      mediaFiles: amount(),
      isAdded: yes(),
    }).noUnknown(),
  ),
  unusable: list(object({ name: text(), problem: text() }).noUnknown()),
}).noUnknown();

export const droppedReply = object({
  name: text(),
  source: perhaps(sourceReply),
  problem: perhapsText(),
}).noUnknown();

export const roomReply = object({ freeBytes: amount() }).noUnknown();
export const healthReply = object({ status: text(), upSeconds: amount() }).noUnknown();
export const simulationReply = object({ driveId: perhapsText() }).noUnknown();
export const rigsReply = object({ own: perhaps(rigSchema), loaded: list(rigSchema.required()) }).noUnknown();
export const settingsReply = object({
  memoryCeilingBytes: amount(),
  memoryBytes: amount(),
  ffmpegOn: string().oneOf(FFMPEG_CHOICES).required(),
  hardwareLost: perhapsText(),
}).noUnknown();
export const loadReply = object({ load: amount() }).noUnknown();
/** Share of all cores that was busy, 0 to 1; null while nothing is sampled. */
export const sampleReply = object({ coreShare: perhapsAmount() }).noUnknown();
export const drivesReply = list(object({ drive: text(), holds: list(text()) }).noUnknown());
export const machineReply = object({
  machine: mixed().required(),
  graphics: list(mixed().required()),
  measuresItself: yes(),
}).noUnknown();
export const figuresReply = object({
  oneCoreFps: mixed().nullable(),
  allCoresFps: mixed().nullable(),
}).noUnknown();
export const anyListReply = list(mixed().required());
export const anyReply = mixed().nullable();

/** Problem details (RFC 9457), with every fault of an input that was not understood. */
export const problemReply = object({
  type: text(),
  title: text(),
  status: amount(),
  detail: text(),
  faults: array(text().required()).optional(),
}).noUnknown();

export const tableReply = object({
  id: text(),
  title: text(),
  kind: string().strict().oneOf(['1D', '3D']).required(),
  size: amount(),
}).noUnknown();

export const exportEstimateReply = object({
  bytes: amount(),
  sampledFrames: amount(),
  remarks: array(text()).required(),
}).noUnknown();
