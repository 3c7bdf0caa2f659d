import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { alone, situationOf, source, strongRig, withCores } from '../testing/scenes.js';
import { residualOf, workKey, workOf, type Situation } from '../cost-model/index.js';
import { pacingSummary, type FrameLog } from '../playback/index.js';
import { learnRun, predict, type Prediction } from './index.js';

/** Decoding takes a frame's budget and a little more. */
const situationAt = (msPerFrame: number): Situation =>
  situationOf(alone('a'), [source('a', { gop: 24 })], withCores(strongRig({}, 3e9, msPerFrame), 4));

const shareOf = (log: FrameLog, { timeline: { rate } }: Situation): number => {
  const { shown, wanted } = pacingSummary(log, rate);
  return shown / wanted;
};

/** Share of frames that are predicted to be shown when the player decodes the same ranges. */
const predictedShare = (situation: Situation, ranges: Prediction['ranges'] = undefined): number => {
  const { summary } = predict({ ...situation, decoding: ranges ?? 'everything' });
  return summary.shown / summary.wanted;
};

describe('what a run teaches', () => {
  it('makes the next prediction of the same timeline agree with it within 0.05, whatever the machine does', () => {
    fc.assert(
      fc.property(fc.double({ min: 0.6, max: 2.2, noNaN: true }), (factor) => {
        const situation = situationAt(45);
        // The machine takes so much longer, or less, than its figures say.
        const { ranges } = predict(situation);
        const { nominalLog } = predict({ ...situationAt(45 * factor), decoding: ranges ?? 'everything' });
        const calibration = learnRun(situation, nominalLog, { ranges });
        const error = predictedShare({ ...situation, calibration }, ranges) - shareOf(nominalLog, situation);
        expect(Math.abs(error)).toBeLessThan(0.05);
      }),
      { numRuns: 12 },
    );
  });

  it('keeps a residual where stages alone do not explain the run, and that of this timeline only', () => {
    const situation = situationAt(30);
    // Every second frame was dropped though each stage took what it was predicted to take.
    const log = predict(situation).nominalLog;
    for (let frame = 1; frame < log.length; frame += 2) log.set(frame, 'shown', NaN);
    const calibration = learnRun(situation, log, {});
    const taught = { ...situation, calibration };
    expect(Math.abs(predictedShare(taught) - 0.5)).toBeLessThan(0.05);
    expect(residualOf(calibration, workKey(workOf(situation)))!.log).toBeGreaterThan(0.1);
    const other = { ...taught, tuning: { ...situation.tuning, playScale: 8 as const } };
    expect(residualOf(calibration, workKey(workOf(other)))).toBeUndefined();
    expect(predictedShare(other)).toBeGreaterThan(0.95);
  });

  it('moves the residual little after a run that shows every planned frame, which only bounds costs from above', () => {
    const situation = situationAt(70);
    const { ranges } = predict(situation);
    expect(ranges).toBeDefined();
    const { nominalLog } = predict({ ...situationAt(40), decoding: ranges! });
    const { residuals } = learnRun(situation, nominalLog, { ranges });
    // Half as much would show the same.
    expect(Math.abs(residuals![0]!.log)).toBeLessThan(0.3);
  });

  it('keeps a residual of a whole run, and none of a few frames', () => {
    const situation = situationAt(30);
    const { nominalLog } = predict(situation);
    expect(learnRun(situation, nominalLog, {}).residuals).toHaveLength(1);
    const few = predict(situationOf(alone('a', { length: 30 }), [source('a')], strongRig())).nominalLog;
    expect(learnRun(situation, few, {}).residuals ?? []).toEqual([]);
  });
});
