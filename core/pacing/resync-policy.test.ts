import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ResyncPolicy, type ResyncTarget } from './index.js';

/**
 * A decoder that fell behind brings its frames at a pace, one picture each.
 * @param pace frames that it brings in the time of a frame
 * @returns what it is told before each of its pictures
 */
function told(pace: number, frames: number, next = 100, playhead = 103): (ResyncTarget | undefined)[] {
  const policy = new ResyncPolicy(24);
  return Array.from({ length: frames }, (_, at) => {
    const now = playhead + at / pace;
    if (at > 0) policy.onFrameDecoded(now);
    return policy.targetFor(next + at, now);
  });
}

describe('a decoder that is too late', () => {
  it('is not judged before three of its frames have come, or it was waited for', () => {
    expect(told(0.5, 3)).toEqual([undefined, undefined, undefined]);
    expect(told(0.5, 4)[3]).toBeDefined();
    const stalled = new ResyncPolicy(24);
    expect(stalled.targetFor(10, 12)).toBeUndefined();
    expect(stalled.targetFor(10, 16)).toBeUndefined();
    expect(stalled.targetFor(10, 17)).toMatchObject({ before: Infinity });
  });

  it('is late from the first frame that came too late, until one comes in time', () => {
    const policy = new ResyncPolicy(24);
    // A picture that is asked for right after one was too late is not late itself yet.
    for (let frame = 10; frame < 14; frame++) {
      policy.onFrameMissed(frame, frame + 1.1);
      policy.onFrameDecoded(frame + 1.1);
    }
    expect(policy.targetFor(14, 14.1)).toBeDefined();
    policy.onFrameInTime();
    expect(policy.targetFor(14, 14.1)).toBeUndefined();
  });

  it('that is slower than the timeline never catches up', () => {
    expect(told(0.9, 4).at(-1)!.before).toBe(Infinity);
  });

  it('that is faster has caught up when the lead is worn off', () => {
    // Frame 103 + k comes at 106.2 + 0.8 k: the first that comes before the next is due is 115, at 115.8.
    const target = told(1.25, 4).at(-1)!;
    expect(target.before).toBeCloseTo(115, 5);
    const quick = told(4, 4).at(-1);
    expect(quick).toBeUndefined();
  });

  it('never lands where it cannot have a picture in time', () => {
    fc.assert(
      fc.property(fc.double({ min: 0.1, max: 3, noNaN: true }), (pace) => {
        const target = told(pace, 8).at(-1);
        if (!target) return;
        const now = 103 + 7 / pace;
        expect(target.from).toBeGreaterThanOrEqual(now + 1 / pace - 1e-9);
        expect(target.before).toBeGreaterThan(target.from);
      }),
    );
  });

  it('learns how long it takes to bring the first picture elsewhere', () => {
    const policy = new ResyncPolicy(24);
    for (let at = 0; at < 4; at++) {
      policy.targetFor(100 + at, 102 + 2 * at);
      policy.onFrameDecoded(102 + 2 * at);
    }
    expect(policy.targetFor(104, 110)!.best).toBeLessThan(116);
    policy.onResync(110);
    policy.onFrameDecoded(120);
    // Ten frames' time, and best as much again in reserve.
    expect(policy.targetFor(116, 120)).toMatchObject({ from: 130, best: 140 });
  });

  it('is judged by what it was a moment ago, but not for long', () => {
    const policy = new ResyncPolicy(24);
    for (let at = 0; at < 4; at++) {
      policy.targetFor(100 + at, 102 + 2 * at);
      policy.onFrameDecoded(102 + 2 * at);
    }
    policy.onFrameInTime();
    expect(policy.targetFor(120, 119)).toBeUndefined();
    expect(policy.copy().targetFor(120, 122)).toBeDefined();
    expect(policy.stateKey(122)).not.toBe('');
    expect(policy.stateKey(200)).toBe('');
    expect(policy.targetFor(190, 200)).toBeUndefined();
  });
});
