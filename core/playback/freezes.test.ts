import { describe, expect, it } from 'vitest';
import {
  FrameLog,
  latenessHistogram,
  LOG_COLUMNS,
  scrubSummary,
  widenedLog,
  longestFreezes,
} from './index.js';

const BUDGET = 40;

function logOf(fates: readonly (number | null)[]): FrameLog {
  const log = FrameLog.empty(100, fates.length);
  fates.forEach((late, at) => {
    log.set(100 + at, 'due', at * BUDGET);
    log.set(100 + at, 'settled', 1);
    log.set(100 + at, 'decode', late === null ? 90 : 10);
    if (late !== null) log.set(100 + at, 'shown', at * BUDGET + late);
  });
  return log;
}

describe('the longest freezes', () => {
  it('are the longest freezes', () => {
    const log = logOf([0, null, 5, 0, null, null, null, 12, 0]);
    expect(longestFreezes(log, BUDGET)).toEqual([
      { frame: 104, droppedFrames: 3, freezeMs: 3 * BUDGET + 12 },
      { frame: 101, droppedFrames: 1, freezeMs: BUDGET + 5 },
    ]);
    expect(longestFreezes(log, BUDGET, 1)).toHaveLength(1);
  });

  it('count a freeze that the end of the run cuts off', () => {
    expect(longestFreezes(logOf([0, null, null]), BUDGET)).toMatchObject([
      { frame: 101, freezeMs: 2 * BUDGET },
    ]);
    expect(longestFreezes(logOf([0, 0]), BUDGET)).toEqual([]);
  });
});

describe('the histogram of lateness', () => {
  it('counts every frame once', () => {
    const { frames, dropped } = latenessHistogram(logOf([0, 4, 9, 19, 29, 39, 41, null, null]), BUDGET);
    expect(frames).toEqual([2, 1, 1, 1, 1, 1]);
    expect(dropped).toBe(2);
  });
});

describe('scrubbing', () => {
  it('is told by its median and its worst twentieth (Hyndman, Fan, Sample quantiles, 1996, definition 7)', () => {
    const waits = Array.from({ length: 100 }, (_, at) => 100 - at);
    const { pictures, medianMs, worstTwentiethMs } = scrubSummary(waits);
    expect([pictures, medianMs]).toEqual([100, 50.5]);
    expect(worstTwentiethMs).toBeCloseTo(95.05);
    expect(() => scrubSummary([])).toThrow(/Nothing/);
  });
});

describe('an older log', () => {
  it('is read, with what it did not measure unknown', () => {
    const old = new Float32Array(2 * 10).map((_, at) => at);
    const log = new FrameLog(0, widenedLog(old, 10));
    expect(log.length).toBe(2);
    expect(log.get(1, 'due')).toBe(10);
    expect(log.get(1, 'settled')).toBe(19);
    expect(log.get(1, 'waiting')).toBeNaN();
    const same = new Float32Array(LOG_COLUMNS.length);
    expect(widenedLog(same, LOG_COLUMNS.length)).toBe(same);
  });
});
