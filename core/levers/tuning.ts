import { array, boolean, number, object, string, type ObjectSchema } from 'yup';
import { evenSide, type FrameSize } from '../timeline/index.js';
import { COMPOSE_PROCESSORS, type ComposeProcessor } from './composing.js';
import { DECODE_PATHS, type DecodePathChoice } from './decode-paths.js';

/** The divisor between working size and preview pixels. */
export type PreviewScale = 1 | 2 | 4 | 8 | 16;

export const PREVIEW_SCALES: readonly PreviewScale[] = [1, 2, 4, 8, 16];

/** Kinds of effects that can be bypassed: those that change pixels, not position, crop or mask. */
export const BYPASSABLE = ['colour', 'blur', 'sharpen', 'vignette', 'grain', 'title'] as const;

export type Bypassable = (typeof BYPASSABLE)[number];

/** Lever positions. Moving one never touches the timeline or the delivery. */
export interface Tuning {
  /** Preview scale while playing. */
  readonly playScale: PreviewScale;
  /** Whether the preview scale while playing is the sharpest that plays, as predicted. */
  readonly autoScale?: boolean | undefined;
  /** Preview scale of the picture at rest. */
  readonly restScale: PreviewScale;
  /** Whether light copies are played where there are any. */
  readonly lightCopies: boolean;
  /** Lines of the working size; those of the timeline when absent. */
  readonly workingLines?: number | undefined;
  /** Size that light copies are made for, as a divisor of the timeline's; USUAL_COPY_SCALE when absent. */
  readonly copyScale?: CopyScale | undefined;
  /** Whether sources that are larger get a copy as soon as they are imported. */
  readonly copiesAtImport?: boolean | undefined;
  /** Whether stretches that were rendered in advance are played; they are when absent. */
  readonly renderCache?: boolean | undefined;
  /** Whether stretches that are predicted to drop frames are rendered in advance while nothing plays. */
  readonly rendersAtRest?: boolean | undefined;
  /** How the browser decodes pictures of a codec and profile; automatic where absent. */
  readonly decodePaths?: DecodePathChoice[] | undefined;
  /** What composes frames; automatic where absent. */
  readonly composeOn?: ComposeProcessor | undefined;
  /** Kinds of effects that are left out while it plays. */
  readonly bypass?: Bypassable[] | undefined;
  /** Clips whose effects of pixels are all left out while it plays. */
  readonly bypassedClips?: string[] | undefined;
  /** Single effects that are left out while it plays, each as `effectKey` names it. */
  readonly bypassedEffects?: string[] | undefined;
  /** Whether bypassed effects are left out of the picture at rest too. */
  readonly bypassAtRest?: boolean | undefined;
  /** Whether a picture stands for two frames while it plays. */
  readonly everySecondFrame?: boolean | undefined;
  /** Whether no picture is played, only sound. */
  readonly listenOnly?: boolean | undefined;
  /** Tracks that are neither seen nor heard while it plays. */
  readonly tracksOff?: string[] | undefined;
  /** Tracks that are the only ones of their kind that are played; all are when there is none. */
  readonly soloTracks?: string[] | undefined;
}

/** Divisors between the timeline's size and the size that light copies are made for. */
export type CopyScale = 1 | 2 | 4 | 8;

export const COPY_SCALES: readonly CopyScale[] = [1, 2, 4, 8];

/** Copies for a quarter of the timeline's lines, as the preview of a new project shows them. */
export const USUAL_COPY_SCALE: CopyScale = 4;

/** Working sizes that people drop to, in lines; the width follows the shape of the timeline. */
export const WORKING_LINES: readonly number[] = [2160, 1440, 1080, 720, 540];

export const PLAINEST: Tuning = { playScale: 1, restScale: 1, lightCopies: false };

/** Where a new project begins: a preview that fits a small screen, sharper at rest. */
export const FIRST_TUNING: Tuning = { playScale: 4, restScale: 2, lightCopies: true };

const scale = () => number<PreviewScale>().strict().oneOf(PREVIEW_SCALES).required();

const ids = (longest: number) =>
  array(string().strict().required().max(longest)).strict().max(1000).optional();

const decodePathSchema: ObjectSchema<DecodePathChoice> = object({
  codec: string().strict().required().max(40),
  profile: string().strict().defined().max(80),
  path: string().strict().oneOf(DECODE_PATHS).required(),
}).noUnknown();

export const tuningSchema: ObjectSchema<Tuning> = object({
  playScale: scale(),
  autoScale: boolean().strict().optional(),
  restScale: scale(),
  lightCopies: boolean().strict().required(),
  workingLines: number().strict().integer().min(120).max(16_384).optional(),
  copyScale: number<CopyScale>().strict().oneOf(COPY_SCALES).optional(),
  copiesAtImport: boolean().strict().optional(),
  renderCache: boolean().strict().optional(),
  rendersAtRest: boolean().strict().optional(),
  decodePaths: array(decodePathSchema).strict().max(100).optional(),
  composeOn: string().strict().oneOf(COMPOSE_PROCESSORS).optional(),
  bypass: array(string<Bypassable>().strict().oneOf(BYPASSABLE).required()).strict().max(6).optional(),
  bypassedClips: ids(64),
  bypassedEffects: ids(129),
  bypassAtRest: boolean().strict().optional(),
  everySecondFrame: boolean().strict().optional(),
  listenOnly: boolean().strict().optional(),
  tracksOff: ids(64),
  soloTracks: ids(64),
}).noUnknown();

/** The frame that is worked in: the timeline's own, or a smaller one of its shape. */
export function workingSize(full: FrameSize, { workingLines }: Pick<Tuning, 'workingLines'>): FrameSize {
  if (workingLines === undefined || workingLines >= full.height) return full;
  return { width: evenSide((full.width * workingLines) / full.height), height: evenSide(workingLines) };
}

/** Pixels of the preview of a timeline of size `full`, playing or at rest. */
export const previewPixels = (full: FrameSize, tuning: Tuning, when: 'playing' | 'at rest'): FrameSize =>
  previewSize(workingSize(full, tuning), when === 'playing' ? tuning.playScale : tuning.restScale);

/** The frame that light copies are made for: moving the preview scale does not change it. */
export const copyPixels = (
  full: FrameSize,
  { copyScale = USUAL_COPY_SCALE }: Pick<Tuning, 'copyScale'>,
): FrameSize => previewSize(full, copyScale);

/** Pixels of the preview: the working size divided, each side rounded to even. */
export function previewSize(working: FrameSize, scale: PreviewScale): FrameSize {
  return { width: evenSide(working.width / scale), height: evenSide(working.height / scale) };
}

/** Whether two tunings show the same pixels while playing; the files that these come from are not compared. */
export const showAlike = (one: Tuning, other: Tuning): boolean => pixelsOf(one) === pixelsOf(other);

function pixelsOf(tuning: Tuning): string {
  const { playScale, workingLines = 0, bypass = [], listenOnly = false, everySecondFrame = false } = tuning;
  const { tracksOff = [], soloTracks = [], bypassedClips = [], bypassedEffects = [] } = tuning;
  return JSON.stringify([
    ...[playScale, workingLines, listenOnly, everySecondFrame],
    ...[bypass, tracksOff, soloTracks, bypassedClips, bypassedEffects].map((each) => each.toSorted()),
  ]);
}

/** Adds members to a list of a tuning, or removes them. @returns undefined where none is left */
export function relist(
  list: readonly string[] | undefined,
  members: Iterable<string>,
  isListed: boolean,
): string[] | undefined {
  const moved = new Set(members);
  const others = (list ?? []).filter((each) => !moved.has(each));
  const all = isListed ? [...others, ...moved] : others;
  return all.length ? all : undefined;
}
