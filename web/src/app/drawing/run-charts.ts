import type { FrameLog, LatenessHistogram, RunSample } from '@hone/core/playback';
import { frameOf, xOf, type Area, type Axis, type Palette } from './axis';

function ground(context: CanvasRenderingContext2D, axis: Axis, area: Area, palette: Palette): void {
  context.fillStyle = palette.low;
  context.fillRect(axis.left, area.top, axis.right - axis.left, area.height);
}

/** Number of ready frames when each frame was settled. */
export function drawDepth(
  context: CanvasRenderingContext2D,
  axis: Axis,
  area: Area,
  log: FrameLog | undefined,
  palette: Palette,
): number {
  ground(context, axis, area, palette);
  let most = 1;
  for (let frame = log?.firstFrame ?? 0; log && frame < log.firstFrame + log.length; frame++)
    most = Math.max(most, log.get(frame, 'waiting') || 0);
  context.fillStyle = palette.quiet;
  for (let x = Math.floor(axis.left); log && x < axis.right; x++) {
    const depth = log.get(Math.floor(frameOf(axis, x)), 'waiting');
    if (!(depth > 0)) continue;
    const height = (depth / most) * area.height;
    context.fillRect(x, area.top + area.height - height, 1, height);
  }
  return most;
}

/** A value of the samples of a run along its frames, as a stepped area. */
export function drawSamples(
  context: CanvasRenderingContext2D,
  axis: Axis,
  area: Area,
  points: readonly { readonly frame: number; readonly value: number }[],
  full: number,
  palette: Palette,
): void {
  ground(context, axis, area, palette);
  context.fillStyle = palette.quiet;
  points.forEach(({ frame, value }, index) => {
    const left = Math.max(axis.left, xOf(axis, points[index - 1]?.frame ?? frame));
    const right = Math.min(axis.right, xOf(axis, frame));
    const height = Math.min(1, full > 0 ? value / full : 0) * area.height;
    if (right > left) context.fillRect(left, area.top + area.height - height, right - left, height);
  });
}

/** Puts samples, which count from the press of play, at the frames that were due then. */
export function atFrames(
  samples: readonly RunSample[],
  log: FrameLog,
  budgetMs: number,
  valueOf: (sample: RunSample) => number | null,
): { frame: number; value: number }[] {
  const firstDue = log.get(log.firstFrame, 'due') || 0;
  return samples.flatMap((sample) => {
    const value = valueOf(sample);
    return value === null ? [] : [{ frame: log.firstFrame + (sample.atMs - firstDue) / budgetMs, value }];
  });
}

/** Histogram of lateness, as bars with their counts. */
export function drawHistogram(
  context: CanvasRenderingContext2D,
  width: number,
  height: number,
  { upTo, frames, dropped }: LatenessHistogram,
  palette: Palette,
): void {
  const bars = [
    ...frames.map((count, at) => ({
      count,
      label: at < upTo.length ? `≤ ${Math.round(100 * upTo[at]!)} %` : 'more',
    })),
    { count: dropped, label: 'dropped' },
  ];
  const most = Math.max(1, ...bars.map(({ count }) => count));
  const step = width / bars.length;
  context.textAlign = 'center';
  bars.forEach(({ count, label }, at) => {
    const tall = (count / most) * (height - 36);
    context.fillStyle = label === 'dropped' ? palette.ink : palette.quiet;
    context.fillRect(at * step + 4, height - 18 - tall, step - 8, tall);
    context.fillStyle = palette.ink;
    context.fillText(String(count), (at + 0.5) * step, height - 26 - tall);
    context.fillStyle = palette.quiet;
    context.fillText(label, (at + 0.5) * step, height - 8);
  });
  context.textAlign = 'start';
}
