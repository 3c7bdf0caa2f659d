import { describe, expect, it } from 'vitest';
import { rational } from '../time/index.js';
import { FrameLog, liveFigures } from './index.js';

/** A log of which the frames up to a playhead are settled, each shown or dropped. */
function logUntil(playhead: number, isDropped: (frame: number) => boolean): FrameLog {
  const log = FrameLog.empty(100, 240);
  for (let frame = 100; frame <= playhead; frame++) {
    log.set(frame, 'settled', 1);
    if (!isDropped(frame)) log.set(frame, 'shown', 40 * (frame - 100));
  }
  return log;
}

describe('the figures of a run under way', () => {
  it('are unknown before the first frame', () => {
    expect(liveFigures(FrameLog.empty(100, 240), 100, rational(24))).toEqual({
      framesPerSecond: null,
      dropped: 0,
    });
  });

  it('are those of the last second, and all drops since the start', () => {
    const poorStart = logUntil(199, (frame) => frame < 150 && frame % 2 === 0);
    expect(liveFigures(poorStart, 199, rational(24))).toEqual({ framesPerSecond: 24, dropped: 25 });
    const everyThird = logUntil(199, (frame) => frame % 3 === 0);
    const { framesPerSecond, dropped } = liveFigures(everyThird, 199.4, rational(24));
    expect(framesPerSecond).toBeCloseTo(16);
    expect(dropped).toBe(33);
  });
});
