import { describe, expect, it } from 'vitest';
import { DecodeClock, BusyTracker } from './decode-clock.js';

/** A decoder of 20 ms a picture beside a worker that is busy with each picture for a while. */
function played(busyMs: number, pictures: number): number[] {
  const busy = new BusyTracker();
  const clock = new DecodeClock(busy);
  clock.restart(0);
  const costs: number[] = [];
  let now = 0;
  let ready = 0;
  for (let at = 0; at < pictures; at++) {
    // It is seen when it is ready, or when the worker has ended the one before.
    ready += at === 0 ? 35 : 20;
    now = Math.max(now, ready);
    costs.push(clock.seen(now));
    now += busyMs;
    busy.ended(now);
    // Eight pictures wait at most; then the decoder waits as well.
    ready = Math.max(ready, now - 8 * 20);
  }
  return costs;
}

const meanOf = (costs: readonly number[]): number =>
  costs.reduce((sum, each) => sum + each, 0) / costs.length;

describe('the time of decoding', () => {
  it('is the time between pictures while the worker waits for them', () => {
    expect(
      played(5, 40)
        .slice(1)
        .every((ms) => ms === 20),
    ).toBe(true);
  });

  it('is not the time that the worker was busy with the one before', () => {
    // The first is all that is known of it: 35 ms, though the worker looks every 90 ms only.
    expect(meanOf(played(90, 40))).toBe(35);
  });

  it('of several pictures that are seen at once is no more than the time there was', () => {
    const busy = new BusyTracker();
    const clock = new DecodeClock(busy);
    clock.restart(0);
    for (const now of [30, 50, 70]) expect(clock.seen(now)).toBe(now === 30 ? 30 : 20);
    busy.ended(120);
    const costs = [120, 120.1, 120.2, 120.3].map((now) => clock.seen(now));
    expect(costs.slice(0, 2)).toEqual([20, 20]);
    expect(costs.reduce((sum, each) => sum + each, 0)).toBeCloseTo(50.3, 6);
  });

  it('follows a decoder that slows down, from what is seen at once', () => {
    const clock = new DecodeClock(new BusyTracker());
    clock.restart(0);
    let now = 0;
    for (const ms of [20, 20, 20, 30, 30]) expect(clock.seen((now += ms))).toBe(ms);
  });

  it('does not hold the time that the decoder was idle', () => {
    const clock = new DecodeClock(new BusyTracker());
    clock.restart(0);
    clock.seen(20);
    clock.begin(500);
    expect(clock.seen(521)).toBe(21);
  });
});
