import { describe, expect, it } from 'vitest';
import { SmoothClock } from './clock.js';

describe('the smoothed clock', () => {
  it('turns steps into an even flow that never runs back', () => {
    const clock = new SmoothClock();
    let last = -1;
    for (let now = 0; now <= 4000; now += 3) {
      const stepped = Math.floor(now / 21.3) * 21.3;
      const time = clock.read(stepped, now);
      expect(time).toBeGreaterThanOrEqual(last);
      last = time;
    }
    // The steps lag by half a step on average.
    expect(Math.abs(last - (4000 - 10.65))).toBeLessThan(8);
  });

  it('follows a jump at once', () => {
    const clock = new SmoothClock();
    clock.read(1000, 0);
    expect(clock.read(0, 10)).toBe(0);
  });
});
