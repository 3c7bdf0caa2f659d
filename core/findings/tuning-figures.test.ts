import { describe, expect, it } from 'vitest';
import { predict } from '../simulation/index.js';
import { alone, situationOf, source, strongRig, withCores } from '../testing/scenes.js';
import { figuresOf, figuresWith } from './index.js';

describe('figures of tunings', () => {
  const effects = [{ id: 'b', kind: 'blur', enabled: true, values: { radius: 2 } }];
  const slow = withCores(strongRig({}, 3e9, 20), 2);
  const situation = situationOf(alone('a', { effects }), [source('a')], slow, { playScale: 1 });
  const now = predict(situation);

  it('are those of a prediction of its own', () => {
    const tunings = ([1, 2, 4, 16] as const).map((playScale) => ({ ...situation.tuning, playScale }));
    const rates = tunings.map((tuning) => {
      const figures = figuresWith(situation, now, tuning);
      expect(figures).toEqual(figuresOf(predict({ ...situation, tuning })));
      return figures.framesPerSecond;
    });
    expect(rates).toEqual([...rates].sort((a, b) => a - b));
    expect(rates[0]).toBeLessThan(rates.at(-1)!);
  });

  it('count a picture that stands for two frames once', () => {
    const tuning = { ...situation.tuning, bypass: ['blur' as const], playScale: 16 as const };
    const { framesPerSecond } = figuresWith(situation, now, { ...tuning, everySecondFrame: true });
    const { num, den } = situation.timeline.rate;
    expect(framesPerSecond / (num / den)).toBeCloseTo(0.5, 2);
  });

  it('are the frame rate of the timeline where nothing drops, as real time is defined', () => {
    const tuning = { ...situation.tuning, bypass: ['blur' as const], playScale: 16 as const };
    const { framesPerSecond, isRealTime } = figuresOf(predict({ ...situation, tuning }));
    expect(isRealTime).toBe(true);
    const { num, den } = situation.timeline.rate;
    expect(framesPerSecond).toBeGreaterThan((0.99 * num) / den);
  });
});
