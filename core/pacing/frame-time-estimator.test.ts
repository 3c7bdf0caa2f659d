import { describe, expect, it } from 'vitest';
import { FrameTimeEstimator } from './index.js';

describe('a picture that is to be made', () => {
  it('is hopeless when the next is due, whatever it takes', () => {
    expect(new FrameTimeEstimator().willMissDeadline(10, 10.9)).toBe(false);
    expect(new FrameTimeEstimator().willMissDeadline(10, 11)).toBe(true);
  });

  it('is hopeless when it would be ready too late by what the last two took', () => {
    const making = new FrameTimeEstimator();
    making.observe(0.5);
    expect(making.expected).toBe(0.5);
    making.observe(1.5);
    expect(making.expected).toBe(1);
    expect(making.willMissDeadline(10, 9.9)).toBe(false);
    expect(making.willMissDeadline(10, 10.1)).toBe(true);
  });

  it('is begun all the same when many were left out for an expectation', () => {
    const making = new FrameTimeEstimator();
    making.observe(3);
    let leftOut = 0;
    while (making.willMissDeadline(10, 10.5)) leftOut++;
    expect(leftOut).toBeGreaterThan(10);
    expect(leftOut).toBeLessThan(100);
    expect(making.stateKey()).not.toBe(new FrameTimeEstimator().stateKey());
    making.observe(3);
    expect(making.expected).toBe(3);
    expect(making.copy().stateKey()).toBe(making.stateKey());
  });
});
