import { sum } from 'd3-array';
import { describe, expect, it } from 'vitest';
import { predict } from '../simulation/index.js';
import { clipOf, situationOf, source, strongRig, timelineOf, trackOf } from '../testing/scenes.js';
import { applyLeverChange } from './index.js';
import { imaginedStretches, rangesToRender, renderPrice } from './stretch-renders.js';

/** One frame of the source takes 60 ms; at 24 frames a second there are 41.7. */
const slow = strongRig({}, 3e9, 60);
const timeline = timelineOf([trackOf('p', [clipOf('a', 'a', 0, 120), clipOf('b', 'b', 150, 240)])]);
const situation = situationOf(timeline, [source('a', { gop: 48 }), source('b', { gop: 48 })], slow);

describe('A render in advance', () => {
  const now = predict(situation);

  it('is of the frames that drop, with two seconds around them within the uncut stretch', () => {
    expect(rangesToRender(now, [{ from: 200, to: 220 }])).toEqual([{ from: 152, to: 268 }]);
    expect(rangesToRender(now, [{ from: 100, to: 160 }])).toEqual([
      { from: 52, to: 120 },
      { from: 150, to: 208 },
    ]);
    expect(rangesToRender(now, [{ from: 125, to: 140 }])).toEqual([]);
  });

  it('makes the frames play in the prediction, and is not asked for again', () => {
    expect(now.summary.dropped).toBeGreaterThan(50);
    const ranges = rangesToRender(now, [{ from: 0, to: 390 }]);
    const after = predict(applyLeverChange(situation, { lever: 'render stretches', ranges }, now));
    expect(after.summary.dropped).toBe(0);
    expect(rangesToRender(after, [{ from: 0, to: 390 }])).toEqual([]);
  });

  it('costs the work of its frames on all cores, and the room of its pixels', () => {
    const [short, long] = [10, 20].map((frames) => renderPrice(situation, now, [{ from: 0, to: frames }]));
    expect(long!.bytes).toBe(2 * short!.bytes);
    expect(long!.seconds / short!.seconds).toBeCloseTo(2, 1);
    // All cores share what the simulation has them do one frame after the other.
    const [segment] = now.workload.segments;
    const alone = 10 * (segment!.decodeMs * segment!.decodeCores + segment!.scaleMs + segment!.effectsMs);
    expect(short!.seconds).toBeLessThan((1.2 * alone) / slow.machine.cores / 1000);
    expect(short!.seconds).toBeGreaterThan((0.8 * alone) / slow.machine.cores / 1000);
    const stretches = imaginedStretches(situation, now, [
      { from: 0, to: 10 },
      { from: 200, to: 230 },
    ]);
    expect(sum(stretches, ({ frameCount }) => frameCount)).toBe(40);
  });
});
