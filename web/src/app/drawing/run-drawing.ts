import { limitingStageOf, STAGES, stageRecord, type FrameLog, type Stage } from '@hone/core/playback';
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
      if (isGap(x, stage)) continue;
      const height = heightOf(load, area);
      context.fillRect(x, area.top + area.height - height, 1, height);
    }
  }
  drawBudgetLine(context, axis, area, palette);
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
  const loads = predictedLoads(ms, budgetMs);
  context.fillStyle = palette.stage(stage);
  context.globalAlpha = filled ? 0.5 : 1;
  drawLine(context, axis, area, palette, (x) => {
    const load = loads(frameOf(axis, x), frameOf(axis, x + 1));
    if (load === undefined || !filled) return load;
    const height = heightOf(load, area);
    context.fillRect(x, area.top + area.height - height, 1, height);
    return load;
  });
}

/** What a lane of the limiting stage is drawn from; each part may be missing. */
export interface LimitingData {
  /** The run under way, or the last one. */
  readonly log: FrameLog | undefined;
  /** Predicted ms of each stage in each frame, from frame 0 on. */
  readonly stageMs: Readonly<Record<Stage, Float32Array>> | undefined;
  /** Predicted probability that each frame is dropped, from frame 0 on. */
  readonly drops: Float32Array | undefined;
  /** The stage that a finding of the run names for a frame. */
  readonly blamedAt?: (frame: number) => Stage | undefined;
}

/** Height of the marks of dropped frames, CSS pixels. */
const DROP_HEIGHT = 6;

/**
 * The load of the stage that limits each moment, in its colour: filled where measured, half filled where predicted only,
 * with the prediction as a line, the line at 100 %, and marks on top where frames are dropped. Which stage limits is told
 * by predicted costs, as in findings, or by findings: times in a log include waiting for other stages. Without either it is
 * the stage that limits by the times in the log.
 */
export function drawLimitingLane(
  context: CanvasRenderingContext2D,
  axis: Axis,
  area: Area,
  { log, stageMs, drops, blamedAt }: LimitingData,
  budgetMs: number,
  palette: Palette,
): void {
  context.fillStyle = palette.low;
  context.fillRect(axis.left, area.top, axis.right - axis.left, area.height);
  const measured = log && stageRecord((stage) => runningLoads(log, stage, budgetMs));
  const greatestMeasured = measured && greatestOf(measured);
  const predicted = stageMs && greatestOf(stageRecord((stage) => predictedLoads(stageMs[stage], budgetMs)));
  const colours = new Map(STAGES.map((stage) => [stage, palette.stage(stage)]));
  for (let x = Math.floor(axis.left); x < axis.right; x++) {
    const [from, to] = [frameOf(axis, x), frameOf(axis, x + 1)];
    const expected = predicted?.(from, to);
    const stage = expected?.stage ?? blamedAt?.(Math.floor((from + to) / 2));
    const load = stage && measured?.[stage](from, to);
    const real = stage && load !== undefined ? { stage, load } : greatestMeasured?.(from, to);
    const limiting = real ?? expected;
    if (limiting && !isGap(x, limiting.stage)) {
      const height = heightOf(limiting.load, area);
      context.globalAlpha = real ? 1 : 0.5;
      context.fillStyle = colours.get(limiting.stage)!;
      context.fillRect(x, area.top + area.height - height, 1, height);
      context.globalAlpha = 1;
    }
    const first = Math.floor(from);
    const last = Math.max(first + 1, Math.floor(to));
    const isDropped = log && worstIn(log, first, last, budgetMs) === 'dropped';
    const isPredicted = !real && drops?.subarray(Math.max(0, first), last).some((share) => share > 0.5);
    if (!isDropped && !isPredicted) continue;
    context.fillStyle = isDropped ? palette.ink : palette.quiet;
    context.fillRect(x, area.top, 1, DROP_HEIGHT);
  }
  if (predicted)
    drawLine(context, axis, area, palette, (x) => predicted(frameOf(axis, x), frameOf(axis, x + 1))?.load);
  drawBudgetLine(context, axis, area, palette);
}

/** Stages other than decoding have gaps at places of their own, a second sign beside the colour. */
const isGap = (x: number, stage: Stage): boolean =>
  (x + STAGES.indexOf(stage) * 2) % 6 === 0 && stage !== 'decode';

const heightOf = (load: number, area: Area): number => Math.min(1, load / LANE_FULL) * area.height;

function drawBudgetLine(context: CanvasRenderingContext2D, axis: Axis, area: Area, palette: Palette): void {
  context.fillStyle = palette.quiet;
  context.fillRect(axis.left, area.top + area.height * (1 - 100 / LANE_FULL), axis.right - axis.left, 1);
}

function drawLine(
  context: CanvasRenderingContext2D,
  axis: Axis,
  area: Area,
  palette: Palette,
  loadAt: (x: number) => number | undefined,
): void {
  context.strokeStyle = palette.ink;
  context.lineWidth = 1;
  context.beginPath();
  let isDown = false;
  for (let x = Math.floor(axis.left); x < axis.right; x++) {
    const load = loadAt(x);
    if (load === undefined) {
      isDown = false;
      continue;
    }
    const y = area.top + area.height - heightOf(load, area);
    if (isDown) context.lineTo(x, y);
    else context.moveTo(x, y);
    isDown = true;
  }
  context.globalAlpha = 1;
  context.stroke();
}

/** The greatest of the loads of all stages between two places. */
function greatestOf(
  loadsOf: Readonly<Record<Stage, Loads>>,
): (from: number, to: number) => { stage: Stage; load: number } | undefined {
  return (from, to) => {
    const loads = stageRecord((stage) => loadsOf[stage](from, to));
    const stage = limitingStageOf((each) => loads[each]);
    return stage && { stage, load: loads[stage]! };
  };
}

/** @param ms of a stage in each frame, from frame 0 on */
function predictedLoads(ms: Float32Array, budgetMs: number): Loads {
  const sums = new Float64Array(ms.length + 1);
  for (let frame = 0; frame < ms.length; frame++) sums[frame + 1] = sums[frame]! + ms[frame]!;
  const reach = 500 / budgetMs;
  return (from, to) => {
    const middle = (from + to) / 2;
    if (middle < 0 || middle >= ms.length) return undefined;
    const half = Math.max((to - from) / 2, reach);
    const start = Math.max(0, Math.round(middle - half));
    const end = Math.min(ms.length, Math.round(middle + half) + 1);
    return (100 * (sums[end]! - sums[start]!)) / (end - start) / budgetMs;
  };
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
