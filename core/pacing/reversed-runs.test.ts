import { describe, expect, it } from 'vitest';
import { ReversedRuns } from './index.js';

describe('a run of a clip that is played backwards', () => {
  it('begins behind the last one while that is in time', () => {
    const runs = new ReversedRuns();
    expect(runs.begin(12, 100, 5)).toBe(12);
    runs.observe(8);
    expect(runs.begin(12, 100, 4.9)).toBe(12);
  });

  it('begins where it is in time by what the last two took, and at most at the end of the clip', () => {
    const runs = new ReversedRuns();
    runs.observe(10);
    runs.observe(20);
    expect(runs.copy().begin(24, 100, 10)).toBe(25);
    expect(runs.copy().begin(24, 100, 40.5)).toBe(Math.ceil(40.5 + 15 * 0.97));
    expect(runs.copy().begin(24, 50, 40)).toBe(50);
    expect(runs.copy().stateKey()).toBe(runs.stateKey());
  });
});
