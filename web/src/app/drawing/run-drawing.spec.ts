import { FrameLog, stageRecord } from '@hone/core/playback';
import { describe, expect, it } from 'vitest';
import { frameOf, xOf } from './axis';
import { drawLateness, drawLimitingLane, drawLoadLane, drawPredictedLane } from './run-drawing';
import { NAMED_COLOURS } from './testing-palette';

const palette = NAMED_COLOURS;
const axis = { from: 0, to: 100, left: 10, right: 110 };
const area = { top: 0, height: 20 };

const nothing = (): void => undefined;

/** A context that remembers what was filled, without the ground under it. */
function recorder(): {
  context: CanvasRenderingContext2D;
  bars: { colour: string; x: number; height: number }[];
} {
  const bars: { colour: string; x: number; height: number }[] = [];
  const context = {
    ...{ fillStyle: '', strokeStyle: '', lineWidth: 0, globalAlpha: 1 },
    ...{ beginPath: nothing, moveTo: nothing, lineTo: nothing, stroke: nothing },
    fillRect(x: number, _y: number, _width: number, height: number) {
      if (this.fillStyle !== 'low') bars.push({ colour: this.fillStyle, x, height });
    },
  };
  return { context: context as unknown as CanvasRenderingContext2D, bars };
}

function log(lateness: (frame: number) => number | undefined): FrameLog {
  const made = FrameLog.empty(0, 100);
  for (let frame = 0; frame < 100; frame++) {
    const late = lateness(frame);
    made.set(frame, 'settled', 1);
    made.set(frame, 'due', 40 * frame);
    made.set(frame, 'decoded', 1);
    made.set(frame, 'decode', frame < 50 ? 20 : 60);
    if (late !== undefined) made.set(frame, 'shown', 40 * frame + late);
  }
  return made;
}

describe('the axis', () => {
  it('goes from frames to pixels and back', () => {
    expect(xOf(axis, 25)).toBe(35);
    expect(frameOf(axis, 35)).toBe(25);
  });
});

describe('the lateness of a run', () => {
  it('is a full dark bar for a dropped frame and a low one for a late frame', () => {
    const { context, bars } = recorder();
    drawLateness(
      context,
      axis,
      area,
      log((frame) => (frame === 7 ? undefined : frame === 8 ? 40 : 0)),
      40,
      palette,
    );
    const at = (frame: number) => bars.find(({ x }) => x === xOf(axis, frame));
    expect(at(7)).toEqual({ colour: 'ink', x: 17, height: 20 });
    expect(at(8)!.colour).toBe('quiet');
    expect(at(8)!.height).toBeGreaterThan(at(9)!.height);
    expect(at(8)!.height).toBeLessThan(20);
  });

  it('shows the worst of the frames that share a column', () => {
    const { context, bars } = recorder();
    drawLateness(
      context,
      { ...axis, right: 20 },
      area,
      log((frame) => (frame === 33 ? undefined : 0)),
      40,
      palette,
    );
    expect(bars.filter(({ colour }) => colour === 'ink')).toHaveLength(1);
  });

  it('is nothing before there is a run', () => {
    const { context, bars } = recorder();
    drawLateness(context, axis, area, undefined, 40, palette);
    expect(bars).toEqual([]);
  });
});

describe('a load lane', () => {
  it('is as high as the load, with 100 % at half of its height', () => {
    const { context, bars } = recorder();
    drawLoadLane(
      context,
      axis,
      area,
      log(() => 0),
      'decode',
      40,
      palette,
    );
    const at = (frame: number) =>
      bars.find(({ colour, x }) => colour === 'decode' && x === xOf(axis, frame))!;
    expect(at(20).height).toBeCloseTo(5);
    expect(at(80).height).toBeCloseTo(15);
    expect(bars.at(-1)).toMatchObject({ colour: 'quiet', height: 1 });
  });
});

describe('the lane of a prediction', () => {
  /** A context that remembers where its line went. */
  function drawn(
    ms: Float32Array,
    filled: boolean,
  ): { points: [number, number][]; bars: number; stroke: string } {
    const points: [number, number][] = [];
    let bars = 0;
    const context = {
      ...{ fillStyle: '', strokeStyle: '', lineWidth: 0, globalAlpha: 1 },
      beginPath: () => undefined,
      stroke: () => undefined,
      moveTo: (x: number, y: number) => points.push([x, y]),
      lineTo: (x: number, y: number) => points.push([x, y]),
      fillRect: () => bars++,
    };
    const target = context as unknown as CanvasRenderingContext2D;
    drawPredictedLane(target, axis, area, ms, 'decode', 40, palette, filled);
    return { points, bars, stroke: context.strokeStyle };
  }

  it('stands at the middle of its lane where a stage takes the whole frame budget', () => {
    const { points, stroke } = drawn(new Float32Array(100).fill(40), false);
    expect(points.every(([, y]) => y === 10)).toBe(true);
    expect(points).toHaveLength(100);
    expect(stroke).toBe('ink');
  });

  it('is filled only where nothing measured stands, and ends with what is predicted', () => {
    expect(drawn(new Float32Array(50).fill(20), false).bars).toBe(0);
    const { bars, points } = drawn(new Float32Array(50).fill(20), true);
    expect(bars).toBe(points.length);
    expect(points.at(-1)![0]).toBeLessThan(61);
  });
});

describe('the lane of the limiting stage', () => {
  const stageMs = stageRecord((stage) => new Float32Array(100).fill(stage === 'scale' ? 30 : 4));
  const drops = new Float32Array(100).fill(0, 0, 90).fill(1, 90);

  /** Bars between two frames, without the marks of dropped frames. */
  const barsIn = (bars: { colour: string; x: number; height: number }[], from: number, to: number) =>
    bars.filter(({ colour, x }) => x >= xOf(axis, from) && x < xOf(axis, to) && colour !== 'quiet');

  it('has the colour of the stage with the greatest measured load, and its height', () => {
    const { context, bars } = recorder();
    const measured = log(() => 0);
    for (let frame = 0; frame < 40; frame++) measured.set(frame, 'scale', 50);
    drawLimitingLane(
      context,
      axis,
      area,
      { log: measured, stageMs: undefined, drops: undefined },
      40,
      palette,
    );
    expect(new Set(barsIn(bars, 0, 20).map(({ colour }) => colour))).toEqual(new Set(['scale']));
    const late = barsIn(bars, 80, 95);
    expect(new Set(late.map(({ colour }) => colour))).toEqual(new Set(['decode']));
    // 60 of 40 ms are 150 %, of the 200 % that the lane reaches.
    expect(late[0]!.height).toBeCloseTo(0.75 * area.height);
  });

  it('is the stage that costs say, with its measured load: others in the log wait for it', () => {
    const { context, bars } = recorder();
    const waits = log(() => 0);
    for (let frame = 0; frame < 100; frame++) waits.set(frame, 'scale', 50);
    drawLimitingLane(context, axis, area, { log: waits, stageMs, drops: undefined }, 40, palette);
    // The log has 60 ms of decoding from frame 50 on, of which 4 are predicted.
    const late = barsIn(bars, 80, 95);
    expect(new Set(late.map(({ colour }) => colour))).toEqual(new Set(['scale']));
    // 50 of 40 ms are 125 %, of the 200 % that the lane reaches.
    expect(late[0]!.height).toBeCloseTo(0.625 * area.height);
  });

  it('is the stage that a finding of the run names, with its measured load', () => {
    const { context, bars } = recorder();
    const waits = log(() => 0);
    for (let frame = 0; frame < 100; frame++) waits.set(frame, 'effects', 50);
    const blamedAt = (frame: number): 'effects' | undefined => (frame < 70 ? undefined : 'effects');
    const data = { log: waits, stageMs: undefined, drops: undefined, blamedAt };
    drawLimitingLane(context, axis, area, data, 40, palette);
    expect(new Set(barsIn(bars, 64, 69).map(({ colour }) => colour))).toEqual(new Set(['decode']));
    expect(new Set(barsIn(bars, 80, 95).map(({ colour }) => colour))).toEqual(new Set(['effects']));
  });

  it('is that of the predicted stage without a run, with marks where drops are predicted', () => {
    const { context, bars } = recorder();
    drawLimitingLane(context, axis, area, { log: undefined, stageMs, drops }, 40, palette);
    expect(new Set(barsIn(bars, 0, 80).map(({ colour }) => colour))).toEqual(new Set(['scale']));
    const marks = bars.filter(({ colour, height }) => colour === 'quiet' && height > 1);
    expect(marks.map(({ x }) => x)).toEqual(Array.from({ length: 10 }, (_, at) => 100 + at));
  });
});
