import { titlePath, type KnownEffect, type TitleFont } from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';

/** The letters of a title, whose alpha says how much of each pixel they cover; nothing before the font is there. */
export function titlePicture(
  effect: KnownEffect,
  font: TitleFont | undefined,
  { width, height }: FrameSize,
): ImageData {
  const context = new OffscreenCanvas(width, height).getContext('2d', { willReadFrequently: true })!;
  if (font) context.fill(new Path2D(titlePath(effect, font, { width, height })));
  return context.getImageData(0, 0, width, height);
}
