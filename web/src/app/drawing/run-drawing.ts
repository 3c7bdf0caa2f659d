import { STAGES, type FrameLog, type Stage } from '@hone/core/playback';
import { type Area, type Axis, type Palette } from './axis';

/** Highest load that a lane shows, in per cent of the frame budget. */
const LANE_FULL = 200;

/**
 * Lateness of each frame along the timeline: a low bar for how late a frame was shown, against one frame's length, and
 * a full dark bar for a frame that was dropped.
 */
export function drawLateness(
  context: CanvasRenderingContext2D,
  axis: Axis,
  area: Area,
  log: FrameLog | undefined,
  budgetMs: number,
  palette: Palette,
): void {
  context.fillStyle = palette.low;
  context.fillRect(axis.left, area.top, axis.right - axis.left, area.height);
  if (!log) return;
  const perColumn = (axis.to - axis.from) / (axis.right - axis.left);
  for (let x = Math.floor(axis.left); x < axis.right; x++) {
    const first = axis.from + (x - axis.left) * perColumn;
    const worst = worstIn(
      log,
      Math.floor(first),
      Math.max(Math.floor(first) + 1, Math.floor(first + perColumn)),
      budgetMs,
    );
    if (worst === undefined) continue;
    const height = worst === 'dropped' ? area.height : 2 + worst * (area.height * 0.6);
    context.fillStyle = worst === 'dropped' ? palette.ink : palette.quiet;
    context.fillRect(x, area.top + area.height - height, 1, height);
  }
}

// The worst fate of the frames in a column of pixels: dropped, or how late, 0 to 1.
function worstIn(log: FrameLog, from: number, to: number, budgetMs: number): 'dropped' | number | undefined {
  let worst: number | undefined;
  for (let frame = from; frame < to; frame++) {
    if (!log.has(frame) || log.get(frame, 'settled') === 0) continue;
    const shown = log.get(frame, 'shown');
    if (Number.isNaN(shown)) return 'dropped';
    worst = Math.max(worst ?? 0, Math.min(1, Math.max(0, (shown - log.get(frame, 'due')) / budgetMs)));
  }
  return worst;
}

/** The measured load of one stage along the timeline, with the line at 100 % of the frame budget. */
export function drawLoadLane(
  context: CanvasRenderingContext2D,
  axis: Axis,
  area: Area,
  log: FrameLog | undefined,
  stage: Stage,
  budgetMs: number,
  palette: Palette,
): void {
  context.fillStyle = palette.low;
  context.fillRect(axis.left, area.top, axis.right - axis.left, area.height);
  if (log) {
    context.fillStyle = palette.stage(stage);
    for (let x = Math.floor(axis.left); x < axis.right; x++) {
      const load = meanLoad(log, stage, axis, x, budgetMs);
      if (load === undefined) continue;
      const height = Math.min(1, load / LANE_FULL) * area.height;
      if ((x + STAGES.indexOf(stage) * 2) % 6 === 0 && stage !== 'decode') continue;
      context.fillRect(x, area.top + area.height - height, 1, height);
    }
  }
  context.fillStyle = palette.quiet;
  context.fillRect(axis.left, area.top + area.height * (1 - 100 / LANE_FULL), axis.right - axis.left, 1);
}

// Mean over the second around a column, so that the rhythm of groups of pictures does not hide the load.
function meanLoad(log: FrameLog, stage: Stage, axis: Axis, x: number, budgetMs: number): number | undefined {
  const span = axis.to - axis.from;
  const frame = axis.from + ((x + 0.5 - axis.left) / (axis.right - axis.left)) * span;
  const reach = Math.max(span / (axis.right - axis.left) / 2, 500 / budgetMs);
  const from = Math.max(log.firstFrame, Math.round(frame - reach));
  const to = Math.min(log.firstFrame + log.length, Math.round(frame + reach) + 1);
  let sum = 0;
  let count = 0;
  for (let each = from; each < to; each++) {
    const worked =
      stage === 'read' || stage === 'decode' ? log.get(each, 'decoded') > 0 : log.stageMs(each, stage) > 0;
    if (log.get(each, 'settled') === 0 || !worked) continue;
    sum += log.stageMs(each, stage);
    count++;
  }
  if (frame < log.firstFrame || frame >= log.firstFrame + log.length || count === 0) return undefined;
  return (100 * sum) / count / budgetMs;
}
