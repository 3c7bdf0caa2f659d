import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { rational } from '../time/index.js';
import { FrameLog, frameBudgetMs, isRealTime, pacingSummary } from './index.js';

/** A log of frames at 25/s; undefined stands for a dropped one, a number for its lateness. */
function logOf(lateness: readonly (number | undefined)[], firstFrame = 100, startMs = 200): FrameLog {
  const log = FrameLog.empty(firstFrame, lateness.length);
  lateness.forEach((late, index) => {
    const frame = firstFrame + index;
    log.set(frame, 'due', startMs + 40 * index);
    log.set(frame, 'settled', 1);
    log.set(frame, 'decode', 10);
    log.set(frame, 'decoded', 2);
    if (late !== undefined) log.set(frame, 'shown', startMs + 40 * index + late);
  });
  return log;
}

const RATE = rational(25);

describe('the frame log', () => {
  it('holds what was set, frame by frame', () => {
    const log = FrameLog.empty(10, 3);
    log.set(11, 'decode', 12.5);
    log.add(11, 'decode', 1);
    log.set(99, 'decode', 7);
    log.addPicture(12, 30, 2, 3, 4);
    log.addPicture(12, 10, 1, 0, 0);
    log.addPicture(99, 1, 1, 1, 1);
    expect((['decode', 'decoded', 'scale', 'effects'] as const).map((name) => log.get(12, name))).toEqual([
      40, 3, 3, 4,
    ]);
    expect(log.get(11, 'decode')).toBe(13.5);
    expect(log.get(10, 'shown')).toBeNaN();
    expect(log.has(13)).toBe(false);
    expect(() => new FrameLog(0, new Float32Array(7))).toThrow(RangeError);
  });

  it('ends where the fate of frames is known', () => {
    const log = FrameLog.empty(0, 10);
    for (let frame = 0; frame < 6; frame++) log.set(frame, 'settled', 1);
    expect(log.settledPart().length).toBe(6);
  });
});

describe('a run', () => {
  const dropping = (count: number, apart: number, length = 1000): boolean => {
    const lateness: (number | undefined)[] = Array.from({ length }, () => 0);
    for (let at = 0; at < count; at++) lateness[100 + at * apart] = undefined;
    return isRealTime(pacingSummary(logOf(lateness), RATE));
  };

  it('is real time with at most one per cent dropped', () => {
    expect(dropping(10, 80)).toBe(true);
    expect(dropping(11, 80)).toBe(false);
  });

  it('is not where a second drops more than a tenth of its frames, wherever that second begins', () => {
    // Of 25 frames a second, two are eight per cent and three are twelve.
    expect(dropping(2, 1)).toBe(true);
    expect(dropping(3, 1)).toBe(false);
    expect(dropping(3, 12)).toBe(false);
    expect(dropping(3, 13)).toBe(true);
  });

  it('of an older version is judged by the whole', () => {
    expect(isRealTime({ dropped: 3, wanted: 1000 })).toBe(true);
  });
});

describe('the figures of a run', () => {
  it('are those of its frames', () => {
    const summary = pacingSummary(logOf([0, 4, undefined, undefined, 10, 2]), RATE);
    expect(summary).toMatchObject({ wanted: 6, shown: 4, dropped: 2, firstFrameMs: 200, firstDropMs: 80 });
    // The second frame stood from 244 until 370, of which 40 ms are its own.
    expect(summary.longestFreezeMs).toBeCloseTo(86);
    expect(summary.meanLatenessMs).toBeCloseTo(4);
    expect(summary.framesPerSecondShown).toBeCloseTo((4 / 6) * 25);
    expect(summary.stageMs.decode).toBeCloseTo(10);
    expect(summary.decodedPerFrame).toBe(2);
  });

  it('count a freeze that the end cuts off as far as it was seen', () => {
    expect(pacingSummary(logOf([0, undefined, undefined, undefined]), RATE).longestFreezeMs).toBeCloseTo(120);
  });

  it('say when nothing was shown or nothing was dropped', () => {
    expect(pacingSummary(logOf([undefined, undefined]), RATE)).toMatchObject({
      shown: 0,
      firstFrameMs: null,
      meanLatenessMs: null,
    });
    expect(pacingSummary(logOf([0, 0]), RATE)).toMatchObject({
      dropped: 0,
      firstDropMs: null,
      longestFreezeMs: 0,
    });
    expect(pacingSummary(FrameLog.empty(0, 5), RATE).wanted).toBe(0);
  });

  it('tells where frames were dropped, in parts that together are the run', () => {
    expect(pacingSummary(FrameLog.empty(0, 5), RATE).dropShares).toEqual([]);
    expect(pacingSummary(logOf([0, undefined, 0]), RATE).dropShares).toEqual([0, 1, 0]);
    // 90 frames in 60 parts: two and one in turn.
    const late = Array.from({ length: 90 }, (_, frame) => (frame === 43 || frame === 89 ? undefined : 0));
    const { dropShares } = pacingSummary(logOf(late), RATE);
    expect(dropShares).toHaveLength(60);
    expect(dropShares!.flatMap((share, part) => (share ? [[part, share]] : []))).toEqual([
      [28, 0.5],
      [59, 1],
    ]);
  });

  it('never lose a frame', () => {
    const fates = fc.array(fc.option(fc.integer({ min: 0, max: 39 }), { nil: undefined }), { minLength: 1 });
    fc.assert(
      fc.property(fates, (lateness) => {
        const { wanted, shown, dropped, longestFreezeMs } = pacingSummary(logOf(lateness), RATE);
        expect(shown + dropped).toBe(wanted);
        expect(wanted).toBe(lateness.length);
        expect(longestFreezeMs).toBeGreaterThanOrEqual(0);
      }),
    );
  });
});

describe('the frame budget', () => {
  it('is 1000 ms divided by the rate', () => {
    expect(frameBudgetMs(rational(24))).toBeCloseTo(41.667, 3);
    expect(frameBudgetMs(rational(60_000, 1001))).toBeCloseTo(16.683, 3);
  });
});
