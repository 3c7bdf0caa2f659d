import { FrameLog } from '@hone/core/playback';
import { describe, expect, it } from 'vitest';
import type { FillingProgress } from '../shared/messages.js';
import { Filler } from './filler.js';
import type { PlanView } from './plan-view.js';
import type { StreamSet } from './stream-set.js';

/** A run of frames 0 to 39, of which some were dropped. */
function logWithout(...dropped: number[]): FrameLog {
  const log = FrameLog.empty(0, 40);
  for (let frame = 0; frame < 40; frame++) if (!dropped.includes(frame)) log.set(frame, 'shown', frame);
  return log;
}

function fillerOf(ready: ReadonlySet<number>) {
  const opened: number[] = [];
  const passed: number[] = [];
  const told: FillingProgress[] = [];
  const streams = {
    isReady: (frame: number) => ready.has(frame),
    passed: (frame: number) => passed.push(frame),
    isOpen: () => false,
    keepsAny: false,
    share: () => undefined,
  } as unknown as StreamSet;
  const passages = [{ clipId: 'a', from: 0, to: 40 }];
  const plan = { clipsAt: () => ['a'], length: 40, framesPerSecond: 24, passages } as unknown as PlanView;
  const filler = new Filler(
    streams,
    1,
    (_, from) => opened.push(from),
    (progress) => told.push(progress),
  );
  return { filler, opened, passed, told, plan };
}

describe('filling the memory', () => {
  it('is not wanted after a run that dropped nothing', () => {
    const { filler } = fillerOf(new Set());
    filler.onRunEnded(logWithout());
    expect(filler.isWanted).toBe(false);
    filler.onRunEnded(logWithout(7));
    expect(filler.isWanted).toBe(true);
    filler.onRunEnded(undefined);
    expect(filler.isWanted).toBe(false);
  });

  it('asks for what was dropped, lets go of what is there, and ends with the last dropped frame', () => {
    const ready = new Set([3, 4, 5]);
    const { filler, opened, passed, told, plan } = fillerOf(ready);
    filler.onRunEnded(logWithout(3, 9, 17));
    filler.begin(plan, 100);
    filler.advance(plan);
    expect([passed, opened]).toEqual([[4, 5, 6], [6]]);
    expect(told).toEqual([{ done: 3, all: 15, state: 'running' }]);
    for (let frame = 6; frame < 18; frame++) ready.add(frame);
    filler.advance(plan);
    expect(passed.at(-1)).toBe(18);
    expect(told.at(-1)).toEqual({ done: 15, all: 15, state: 'finished' });
    expect([filler.isFilling, filler.isWanted]).toEqual([false, false]);
  });

  it('goes no further than memory has room, and goes on after a command unless it is cancelled', () => {
    const { filler, told, plan } = fillerOf(new Set([3, 4, 5]));
    filler.onRunEnded(logWithout(3, 30));
    filler.begin(plan, 3);
    filler.advance(plan);
    expect(told).toEqual([{ done: 3, all: 3, state: 'finished' }]);
    filler.onRunEnded(logWithout(3, 30));
    filler.begin(plan, 20);
    filler.interrupt();
    expect(told.at(-1)).toEqual({ done: 0, all: 20, state: 'stopped' });
    expect([filler.isFilling, filler.isWanted]).toEqual([false, true]);
    filler.cancel();
    expect(filler.isWanted).toBe(false);
  });
});
