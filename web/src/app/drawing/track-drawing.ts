import { clipEnd, type Clip, type Track } from '@hone/core/timeline';
import { xOf, type Area, type Axis, type Palette } from './axis';

/** What is said on a clip besides its name. */
export type ClipNote = (clip: Clip, track: Track) => string;

/** The clips of a track as outlined boxes with their names. */
export function drawTrack(
  context: CanvasRenderingContext2D,
  axis: Axis,
  area: Area,
  track: Track,
  noteOf: ClipNote,
  palette: Palette,
): void {
  context.fillStyle = palette.low;
  context.fillRect(axis.left, area.top, axis.right - axis.left, area.height);
  for (const clip of track.clips) {
    const from = Math.max(axis.left, xOf(axis, clip.start));
    const to = Math.min(axis.right, xOf(axis, clipEnd(clip)));
    if (to <= from) continue;
    const width = Math.max(1, to - from - 1);
    context.fillStyle = palette.high;
    context.fillRect(from, area.top + 1, width, area.height - 2);
    context.fillStyle = palette.quiet;
    context.fillRect(from, area.top + 1, 1.5, area.height - 2);
    context.save();
    context.beginPath();
    context.rect(from + 6, area.top, Math.max(0, width - 8), area.height);
    context.clip();
    const note = noteOf(clip, track);
    const middle = area.top + area.height / 2 + 0.5;
    context.fillStyle = palette.ink;
    context.fillText(clip.name, from + 6, middle);
    if (note) {
      const after = from + 14 + context.measureText(clip.name).width;
      context.fillStyle = palette.quiet;
      context.fillText(note, after, middle);
    }
    context.restore();
  }
}

/** Timecode marks at round distances. */
export function drawRuler(
  context: CanvasRenderingContext2D,
  axis: Axis,
  area: Area,
  framesPerSecond: number,
  labelOf: (frame: number) => string,
  palette: Palette,
): void {
  const room = 110;
  const perPixel = (axis.to - axis.from) / (axis.right - axis.left);
  const whole = Math.round(framesPerSecond);
  const steps = [
    1,
    2,
    5,
    10,
    whole,
    2 * whole,
    5 * whole,
    10 * whole,
    30 * whole,
    60 * whole,
    300 * whole,
    600 * whole,
    3600 * whole,
  ];
  const step = steps.find((frames) => frames / perPixel >= room) ?? steps.at(-1)!;
  context.fillStyle = palette.quiet;
  for (let frame = Math.ceil(axis.from / step) * step; frame < axis.to; frame += step) {
    const x = xOf(axis, frame);
    context.fillRect(x, area.top + area.height - 5, 1, 5);
    if (x + 84 < axis.right) context.fillText(labelOf(frame), x + 4, area.top + area.height / 2);
  }
}
