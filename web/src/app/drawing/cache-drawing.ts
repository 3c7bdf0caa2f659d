import type { FrameRange } from '@hone/core/timeline';
import { xOf, type Area, type Axis, type Palette } from './axis';

/** Timeline frames by their state in the render cache. */
export interface CacheState {
  /** Played from it. */
  readonly cached: readonly FrameRange[];
  /** Played from it in part: the rest of the picture is made live. */
  readonly parts: readonly FrameRange[];
  /** Being rendered, or waiting for it. */
  readonly rendering: readonly FrameRange[];
  /** Predicted to drop frames, and neither cached nor being rendered. */
  readonly needed: readonly FrameRange[];
}

/** Cached frames as a bracket from end to end, a thin one where a part of the picture is made live, rendering ones as a dashed bracket, needed ones as a row of dots. */
export function drawCache(
  context: CanvasRenderingContext2D,
  axis: Axis,
  { top, height }: Area,
  { cached, parts, rendering, needed }: CacheState,
  palette: Palette,
): void {
  context.save();
  context.beginPath();
  context.rect(axis.left, top, axis.right - axis.left, height);
  context.clip();
  const middle = Math.round(top + height / 2) + 0.5;
  const draw = ({ from, to }: FrameRange, hasEnds: boolean): void => {
    const left = Math.round(xOf(axis, from)) + 0.5;
    const right = Math.max(left + 1, Math.round(xOf(axis, to)) - 0.5);
    context.beginPath();
    context.moveTo(left, middle);
    context.lineTo(right, middle);
    context.stroke();
    // Ends are whole, also those of a dashed line.
    const { lineWidth } = context;
    for (const x of hasEnds ? [left, right] : [])
      context.fillRect(x - lineWidth / 2, middle - 4, lineWidth, 8);
  };
  context.strokeStyle = palette.quiet;
  context.lineWidth = 1;
  context.setLineDash([1, 4]);
  for (const range of needed) draw(range, false);
  context.strokeStyle = palette.ink;
  context.fillStyle = palette.ink;
  context.setLineDash([4, 3]);
  for (const range of rendering) draw(range, true);
  context.setLineDash([]);
  for (const range of parts) draw(range, true);
  context.lineWidth = 2;
  for (const range of cached) draw(range, true);
  context.restore();
}

/** State of a frame in the render cache, in words. */
export function cacheText({ cached, parts, rendering, needed }: CacheState, frame: number): string {
  const isIn = (ranges: readonly FrameRange[]): boolean =>
    ranges.some(({ from, to }) => from <= frame && frame < to);
  if (isIn(cached)) return 'Played from the render cache';
  if (isIn(rendering)) return 'Being rendered into the render cache';
  if (isIn(parts)) return 'Partly played from the render cache, the rest live';
  return isIn(needed) ? 'Predicted to drop frames: render this stretch in advance' : 'Played live';
}
