import { describe, expect, it } from 'vitest';
import { Filling } from './filling.js';
import type { PlanView } from './plan-view.js';
import type { Prefetcher } from './prefetcher.js';
import type { StreamSet } from './stream-set.js';

describe('filling the memory', () => {
  it('asks for what is missing, lets go of what is there, and ends with the last frame', () => {
    const ready = new Set([0, 1, 2]);
    const asked: number[] = [];
    const passed: number[] = [];
    const streams = {
      isReady: (frame: number) => ready.has(frame),
      passed: (frame: number) => passed.push(frame),
    } as unknown as StreamSet;
    const prefetcher = {
      openAhead: (_plan: PlanView, frame: number) => asked.push(frame),
    } as unknown as Prefetcher;
    const plan = { clipsAt: () => ['a'] } as unknown as PlanView;
    const filling = new Filling(prefetcher, 0, 6);
    expect(filling.advance(plan, streams)).toBe(false);
    expect([passed, asked]).toEqual([[1, 2, 3], [3]]);
    for (const frame of [3, 4, 5]) ready.add(frame);
    expect(filling.advance(plan, streams)).toBe(true);
    expect([passed.at(-1), asked]).toEqual([6, [3]]);
  });
});
