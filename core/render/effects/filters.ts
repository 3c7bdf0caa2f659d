import type { FrameSize } from '../../timeline/index.js';
import { digits } from './expressions.js';
import { isOpaque, type Stage } from './geometry.js';
import { transformed, matte } from './matte-filters.js';
import { OVER, separated, stepFilters, type EffectAssets, type LabelledPicture } from './step-filters.js';
import { pixelPasses } from './pixel-passes.js';
import { numberAt, type KnownEffect } from './values.js';
import { Writer, type FilterPiece } from './writer.js';

/** Whether an effect reads the frames beside the one it changes. */
export const isTemporal = ({ kind }: KnownEffect): boolean => kind === 'denoise';

/**
 * ffmpeg's filters before the frames of a clip are picked: temporal noise reduction, by the mean of similar samples in
 * the frames beside (`atadenoise`).
 */
export function temporalFilters(effects: readonly KnownEffect[]): string {
  return effects
    .filter(isTemporal)
    .map((effect) => {
      const alike = (0.1 * numberAt(effect, 'strength')) / 100;
      const planes = [0, 1, 2].map((plane) => `${plane}a=${digits(alike)}:${plane}b=${digits(2 * alike)}`);
      return `atadenoise=${planes.join(':')}:s=${2 * Math.floor(numberAt(effect, 'frames') / 2) + 1},`;
    })
    .join('');
}

/**
 * ffmpeg's filters for the effects of a clip.
 * @param input the picture in the raster of the first stage, its frames counted from 0
 * @returns label of a picture with or without alpha, to be overlaid at the position of the last stage
 */
export function effectFilters(
  input: LabelledPicture,
  stages: readonly Stage[],
  frame: FrameSize,
  piece: FilterPiece,
  assets: EffectAssets,
): { readonly filters: readonly string[]; readonly label: string } {
  const writer = new Writer(piece);
  let picture = input;
  let label = input.picture;
  stages.forEach((stage, index) => {
    label = staged(writer, picture, stage, frame, assets);
    if (index === stages.length - 1) return;
    const { placement } = stage.pose;
    const whole = placement
      ? writer.chain([writer.clear(frame), label], `overlay=${placement.x}:${placement.y}:${OVER}`)
      : label;
    picture = separated(writer, whole);
  });
  return { filters: writer.filters, label };
}

/** Label of what a stage gives out: in its raster, or in the frame where the stage turns or moves it. */
function staged(
  writer: Writer,
  input: LabelledPicture,
  { effects, pose }: Stage,
  frame: FrameSize,
  assets: EffectAssets,
): string {
  const { picture, alpha } = pixelPasses(effects, pose.raster).reduce<LabelledPicture>(
    (before, step) => stepFilters(writer, before, step, pose.raster, assets),
    input,
  );
  const shape = (): string => {
    if (alpha === null) return matte(writer, effects, pose.raster);
    if (isOpaque(effects)) return alpha;
    return writer.chain([alpha, matte(writer, effects, pose.raster)], 'blend=all_mode=multiply');
  };
  if (!pose.placement) return transformed(writer, picture, shape(), effects, pose, frame);
  if (alpha === null && isOpaque(effects)) return picture;
  return writer.chain([picture, shape()], 'alphamerge');
}
