import { FrameLog, pacingSummary } from '@hone/core/playback';
import { describe, expect, it } from 'vitest';
import { Run } from './run.js';

describe('a run', () => {
  it('settles every frame once: shown, or dropped when a later one is', () => {
    const now = performance.now();
    const run = new Run(10, 20, { num: 25, den: 1 }, now - 100, now);
    run.cost(10, { readMs: 1, decodeMs: 20, scaleMs: 3, effectsMs: 2, decoded: 2 });
    run.cost(10, { readMs: 0, decodeMs: 5, scaleMs: 0, effectsMs: 0, decoded: 1 });
    run.shown(10, 0, 4, 7);
    run.shown(13, 1, 4, 2);
    run.passed(15, 0);
    const log = run.log.settledPart();
    expect(log.length).toBe(5);
    expect(log.get(10, 'decode')).toBe(25);
    expect(log.get(10, 'decoded')).toBe(3);
    expect(log.get(13, 'compose')).toBe(1);
    expect([10, 11, 13, 14].map((frame) => log.get(frame, 'waiting'))).toEqual([7, 2, 2, 0]);
    expect(log.get(12, 'due')).toBeCloseTo(180, 1);
    expect(pacingSummary(log, { num: 25, den: 1 })).toMatchObject({ wanted: 5, shown: 2, dropped: 3 });
  });

  it('tells what became of its frames when it ends, in numbers of its own, and nothing where there are none', () => {
    const facts = {
      clock: 'sound' as const,
      sound: { mixMs: 3, gapSamples: 0 },
      serverDecoded: ['a'],
      ranges: undefined,
      kept: [],
    };
    const run = new Run(10, 20, { num: 25, den: 1 }, 250, 300);
    expect(run.finished(facts)).toBeUndefined();
    run.leversMoved = true;
    run.shown(10, 0, 4, 7);
    run.passed(12, 0);
    const { kind, firstFrame, log, facts: told } = run.finished(facts)!;
    expect({ kind, firstFrame }).toEqual({ kind: 'run', firstFrame: 10 });
    expect(new FrameLog(firstFrame, log).length).toBe(2);
    // The page takes it over; what the run itself writes to is shared.
    expect(log.buffer).toBeInstanceOf(ArrayBuffer);
    expect(told).toEqual({ ...facts, leversMoved: true, pressedAt: performance.timeOrigin + 250 });
  });
});
