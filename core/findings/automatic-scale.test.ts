import { describe, expect, it } from 'vitest';
import type { Situation } from '../cost-model/index.js';
import { PREVIEW_SCALES, type PreviewScale } from '../levers/index.js';
import { isRealTime } from '../playback/index.js';
import { predict } from '../simulation/index.js';
import type { Effect } from '../timeline/index.js';
import { automaticScale } from './index.js';
import { alone, situationOf, source, strongRig, withCores } from '../testing/scenes.js';

const BLUR: Effect[] = [{ id: 'b', kind: 'blur', enabled: true, values: { radius: 2 } }];
const at = (situation: Situation, playScale: PreviewScale): Situation => ({
  ...situation,
  tuning: { ...situation.tuning, playScale },
});
const chosen = (situation: Situation): PreviewScale => automaticScale(situation, predict(situation));
const plays = (situation: Situation): boolean => isRealTime(predict(situation).summary);

/** A blur that costs so many times as much. */
function blurred(factor: number): Situation {
  const rig = strongRig();
  const kernels = rig.kernels.map((kernel) => {
    const { msPerMegapixel: figure } = kernel;
    return kernel.kernel === 'blur'
      ? { ...kernel, msPerMegapixel: { ...figure, value: factor * figure.value } }
      : kernel;
  });
  return situationOf(alone('a', { effects: BLUR }), [source('a')], { ...rig, kernels });
}

describe('The automatic preview scale', () => {
  it('is the sharpest that plays, wherever it begins', () => {
    const found = [1, 4, 16, 60].map((factor) => {
      const situation = blurred(factor);
      const scale = chosen(situation);
      const sharper = PREVIEW_SCALES.filter((each) => each < scale).at(-1);
      expect(plays(at(situation, scale))).toBe(true);
      if (sharper) expect(plays(at(situation, sharper))).toBe(false);
      for (const from of PREVIEW_SCALES) expect(chosen(at(situation, from)), `from 1:${from}`).toBe(scale);
      return scale;
    });
    // A heavier blur needs fewer pixels.
    expect(found).toEqual([...found].sort((a, b) => a - b));
    expect(new Set(found).size).toBeGreaterThan(1);
  });

  it('is 1:1 where decoding is the limit: fewer pixels would play no better', () => {
    const slow = situationOf(alone('a'), [source('a', { gop: 48 })], withCores(strongRig({}, 3e9, 60), 8));
    expect(PREVIEW_SCALES.some((scale) => plays(at(slow, scale)))).toBe(false);
    expect(chosen(at(slow, 4))).toBe(chosen(at(slow, 16)));
    expect(chosen(at(slow, 4))).toBeLessThanOrEqual(2);
  });
});
