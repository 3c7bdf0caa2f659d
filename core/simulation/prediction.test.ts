import { describe, expect, it } from 'vitest';
import { isRealTime, pacingSummary } from '../playback/index.js';
import { alone, FRAMES, situationOf, source, strongRig } from '../testing/scenes.js';
import { UNCALIBRATED, type Calibration } from '../cost-model/index.js';
import { predict, type Prediction } from './index.js';

const BUDGET_MS = 1000 / 24;

/** What decoding that takes a share of the frame budget is predicted to come to. */
function predictedAt(share: number, calibration: Calibration = UNCALIBRATED): Prediction {
  const rig = strongRig({}, 3e9, share * BUDGET_MS);
  return predict({ ...situationOf(alone('a'), [source('a')], rig), calibration });
}

/** A machine on which runs differ by so much, from second to second and from run to run. */
const learnedOf = (seconds: number, runs: number): Calibration => ({
  ...Object.fromEntries(Object.keys(UNCALIBRATED).map((stage) => [stage, { log: 0, variance: 0.01 }])),
  ...({} as typeof UNCALIBRATED),
  unsteadiness: { variance: seconds ** 2, seconds: 60, ofRuns: runs ** 2, runs: 10 },
});

describe('what is expected of playback', () => {
  it('is all of it, where even the highest costs leave room', () => {
    const { summary, framesPerSecond, log } = predictedAt(0.4);
    expect(summary).toMatchObject({ shown: FRAMES, dropped: 0, framesPerSecondShown: 24 });
    expect(framesPerSecond).toEqual({ low: 24, high: 24 });
    expect(pacingSummary(log, { num: 24, den: 1 }).dropped).toBe(0);
  });

  it('is the mean of what costs that are known to a spread may come to, near the frame budget', () => {
    const { summary, framesPerSecond, log, nominalLog: asKnown } = predictedAt(0.97);
    expect(summary.shown + summary.dropped).toBe(summary.wanted);
    expect(summary.framesPerSecondShown).toBeGreaterThan(framesPerSecond.low);
    expect(summary.framesPerSecondShown).toBeLessThan(framesPerSecond.high);
    // As its costs are known it plays; it probably will not, and what is shown in detail does not either.
    expect(isRealTime(pacingSummary(asKnown, { num: 24, den: 1 }))).toBe(true);
    expect(isRealTime(summary)).toBe(false);
    expect(isRealTime(pacingSummary(log, { num: 24, den: 1 }))).toBe(false);
  });

  it('is less the more a machine differs from second to second, and the surer the less it does from run to run', () => {
    const [steady, unsteady] = [0, 0.25].map((seconds) => predictedAt(0.9, learnedOf(seconds, 0)));
    expect(steady!.summary.dropped).toBeLessThan(unsteady!.summary.dropped);
    const widths = [0, 0.2].map((runs) => {
      const { low, high } = predictedAt(1.3, learnedOf(0, runs)).framesPerSecond;
      return high - low;
    });
    expect(widths[0]).toBeLessThan(widths[1]!);
  });

  it('compares runs with costs as they are known, on a steady machine', () => {
    const { nominalLog: asKnown } = predictedAt(0.9, learnedOf(0.25, 0.2));
    expect(pacingSummary(asKnown, { num: 24, den: 1 }).stageMs.decode).toBeCloseTo(0.9 * BUDGET_MS, 0);
  });

  it('is all of it where a picture that takes 1.5 frames stands for two', () => {
    const base = strongRig();
    const kernels = base.kernels.map((each) => {
      if (each.kernel !== 'blur') return each;
      // At 1:4 of 3840 × 2160.
      const ms = (1.5 * BUDGET_MS) / (0.96 * 0.54);
      return { ...each, msPerMegapixel: { ...each.msPerMegapixel, low: ms, value: ms, high: ms } };
    });
    const effects = [{ id: 'b', kind: 'blur', enabled: true, values: { radius: 2 } }];
    const predicted = (everySecondFrame: boolean): Prediction => {
      const rig = { ...base, kernels };
      return predict(
        situationOf(alone('a', { effects }), [source('a')], rig, { playScale: 4, everySecondFrame }),
      );
    };
    const [each, second] = [predicted(false), predicted(true)];
    expect(each.summary.dropped / each.summary.wanted).toBeGreaterThan(0.25);
    expect(second.summary.dropped).toBe(0);
    const standing = [...Array(20).keys()].map((at) => second.log.get(20 + at, 'show'));
    expect(standing.map((ms) => ms > 0)).toEqual(standing.map((_, at) => at % 2 === 0));
  });
});
