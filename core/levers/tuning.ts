import { boolean, number, object, type ObjectSchema } from 'yup';
import type { FrameSize } from '../timeline/index.js';

/** The divisor between working size and preview pixels. */
export type PreviewScale = 1 | 2 | 4 | 8 | 16;

export const PREVIEW_SCALES: readonly PreviewScale[] = [1, 2, 4, 8, 16];

/** Lever positions. Moving one never touches the timeline or the delivery. */
export interface Tuning {
  /** Preview scale while playing. */
  readonly playScale: PreviewScale;
  /** Preview scale of the picture that stands still. */
  readonly restScale: PreviewScale;
  /** Whether light copies are played where there are any. */
  readonly lightCopies: boolean;
}

export const PLAINEST: Tuning = { playScale: 1, restScale: 1, lightCopies: false };

/** Where a new project begins: a preview that fits a small screen, sharper at rest. */
export const FIRST_TUNING: Tuning = { playScale: 4, restScale: 2, lightCopies: true };

const scale = () => number<PreviewScale>().strict().oneOf(PREVIEW_SCALES).required();

export const tuningSchema: ObjectSchema<Tuning> = object({
  playScale: scale(),
  restScale: scale(),
  lightCopies: boolean().strict().required(),
}).noUnknown();

const even = (value: number): number => Math.max(2, 2 * Math.round(value / 2));

/** Pixels of the preview: the working size divided, each side rounded to even. */
export function previewSize(working: FrameSize, scale: PreviewScale): FrameSize {
  return { width: even(working.width / scale), height: even(working.height / scale) };
}
