import { STAGES, type FrameLog, type Stage } from '@hone/core/playback';
import { frameOf, type Area, type Axis, type Palette } from './axis';

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
    const loads = runningLoads(log, stage, budgetMs);
    context.fillStyle = palette.stage(stage);
    for (let x = Math.floor(axis.left); x < axis.right; x++) {
      const load = loads(frameOf(axis, x), frameOf(axis, x + 1));
      if (load === undefined) continue;
      const height = Math.min(1, load / LANE_FULL) * area.height;
      if ((x + STAGES.indexOf(stage) * 2) % 6 === 0 && stage !== 'decode') continue;
      context.fillRect(x, area.top + area.height - height, 1, height);
    }
  }
  context.fillStyle = palette.quiet;
  context.fillRect(axis.left, area.top + area.height * (1 - 100 / LANE_FULL), axis.right - axis.left, 1);
}

/**
 * The load of one stage as it is predicted, as a line over its lane: where it runs above the line at 100 %, playback
 * cannot be in time.
 * @param ms of the stage in each frame, from frame 0 on
 * @param filled whether the lane has no measured values
 */
export function drawPredictedLane(
  context: CanvasRenderingContext2D,
  axis: Axis,
  area: Area,
  ms: Float32Array,
  stage: Stage,
  budgetMs: number,
  palette: Palette,
  filled: boolean,
): void {
  const sums = new Float64Array(ms.length + 1);
  for (let frame = 0; frame < ms.length; frame++) sums[frame + 1] = sums[frame]! + ms[frame]!;
  const reach = 500 / budgetMs;
  context.strokeStyle = palette.ink;
  context.fillStyle = palette.stage(stage);
  context.lineWidth = 1;
  context.beginPath();
  context.globalAlpha = filled ? 0.5 : 1;
  let isDown = false;
  for (let x = Math.floor(axis.left); x < axis.right; x++) {
    const [from, to] = [frameOf(axis, x), frameOf(axis, x + 1)];
    const middle = (from + to) / 2;
    if (middle < 0 || middle >= ms.length) {
      isDown = false;
      continue;
    }
    const half = Math.max((to - from) / 2, reach);
    const start = Math.max(0, Math.round(middle - half));
    const end = Math.min(ms.length, Math.round(middle + half) + 1);
    const load = (100 * (sums[end]! - sums[start]!)) / (end - start) / budgetMs;
    const y = area.top + area.height * (1 - Math.min(1, load / LANE_FULL));
    if (filled) context.fillRect(x, y, 1, area.top + area.height - y);
    if (isDown) context.lineTo(x, y);
    else context.moveTo(x, y);
    isDown = true;
  }
  context.globalAlpha = 1;
  context.stroke();
}

/** Mean load, in per cent of the budget, of the frames between two places; undefined where there are none. */
type Loads = (from: number, to: number) => number | undefined;

// Running sums, so that a column costs the same however many frames it shows. The mean is taken over the second
// around a column, so that the rhythm of groups of pictures does not hide the load.
function runningLoads(log: FrameLog, stage: Stage, budgetMs: number): Loads {
  const { firstFrame, length } = log;
  const sums = new Float64Array(length + 1);
  const counts = new Uint32Array(length + 1);
  for (let index = 0; index < length; index++) {
    const frame = firstFrame + index;
    const cost = log.stageMs(frame, stage);
    const worked = stage === 'read' || stage === 'decode' ? log.get(frame, 'decoded') > 0 : cost > 0;
    const counted = worked && log.get(frame, 'settled') > 0;
    sums[index + 1] = sums[index]! + (counted ? cost : 0);
    counts[index + 1] = counts[index]! + (counted ? 1 : 0);
  }
  const halfSecond = 500 / budgetMs;
  return (from, to) => {
    const middle = (from + to) / 2;
    if (middle < firstFrame || middle >= firstFrame + length) return undefined;
    const reach = Math.max((to - from) / 2, halfSecond);
    const start = Math.max(0, Math.round(middle - reach) - firstFrame);
    const end = Math.min(length, Math.round(middle + reach) + 1 - firstFrame);
    const count = counts[end]! - counts[start]!;
    return count ? (100 * (sums[end]! - sums[start]!)) / count / budgetMs : undefined;
  };
}
