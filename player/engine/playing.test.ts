import { setTimeout as pass } from 'node:timers/promises';
import { describe, expect, it } from 'vitest';
import { Control } from '../shared/control.js';
import type { PlanView } from './plan-view.js';
import { Playing } from './playing.js';
import type { StreamSet } from './stream-set.js';

const plan = { framesPerSecond: 5, rate: { num: 5, den: 1 }, clipsAt: () => [] } as unknown as PlanView;

describe('playing', () => {
  it('counts the time until a frame from now on, however long the one before took to show', async () => {
    const control = Control.create();
    const streams = { readyUntil: () => 20 } as unknown as StreamSet;
    const request = { kind: 'play', from: 10, to: 20, ranges: undefined, pressedAt: 0 } as const;
    const playing = new Playing({ ...request, clock: 'system', latencyMs: 0 }, plan, control);
    control.set('soundReady', control.get('epoch'));
    expect(playing.hasStarted(plan, streams)).toBe(true);
    const playhead = playing.playhead();
    expect(playhead).toBeCloseTo(10, 0);
    const before = playing.msUntil(11);
    expect(before).toBeGreaterThan(0);
    expect(before).toBeLessThanOrEqual(200);
    await pass(60);
    expect(playing.msUntil(11)).toBeLessThanOrEqual(before - 50);
    await pass(160);
    expect(playing.msUntil(11)).toBe(0);
  });
});
