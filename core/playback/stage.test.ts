import { describe, expect, it } from 'vitest';
import { limitingStageOf, STAGE_THREADS, STAGES, type Stage } from './index.js';

const limitingOf = (loads: Partial<Record<Stage, number>>): Stage | undefined =>
  limitingStageOf((stage) => loads[stage]);

describe('the stage that holds playback up', () => {
  it('is one of the busiest thread, which does its stages one after the other', () => {
    // 60 and 50 on one thread are more than 90 on another.
    expect(limitingOf({ decode: 90, scale: 50, effects: 60 })).toBe('effects');
    expect(limitingOf({ decode: 90, scale: 50, effects: 20 })).toBe('decode');
    expect(limitingOf({ read: 120, decode: 90 })).toBe('read');
    expect(limitingOf({ compose: 10, show: 12, decode: 21 })).toBe('show');
  });

  it('is none where nothing is known', () => {
    expect(limitingOf({})).toBeUndefined();
  });

  it('has a thread for every stage', () => {
    expect(STAGE_THREADS.flat()).toEqual([...STAGES]);
  });
});
