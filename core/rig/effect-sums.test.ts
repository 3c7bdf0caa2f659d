import { describe, expect, it } from 'vitest';
import type { Effect } from '../timeline/index.js';
import { clipOf, situationOf, source, strongRig, timelineOf, trackOf } from '../testing/scenes.js';
import { effectSums, workOf } from './index.js';

const effect = (kind: string, values: Effect['values'] = {}): Effect => ({
  ...{ id: kind, kind, enabled: true },
  values,
});
const blurred = [effect('exposure', { stops: 1 }), effect('contrast'), effect('blur', { radius: 2 })];
const timeline = timelineOf([
  trackOf('p', [
    clipOf('a', 'a', 0, 48, { effects: blurred }),
    clipOf('b', 'b', 48, 24, { effects: [effect('exposure', { stops: 1 }), effect('transform')] }),
  ]),
]);
const rig = strongRig();
const sumsOf = (spans: readonly { from: number; to: number }[], bypass: ('blur' | 'colour')[] = []) => {
  const situation = situationOf(timeline, [source('a'), source('b')], rig, { bypass });
  return effectSums(rig, workOf(situation), spans);
};

describe('what kinds of effects take', () => {
  it('is the cost of their kernels by pixels and pictures, the heaviest kind first; colour effects in a row are one', () => {
    const perMegapixel = (name: string): number =>
      rig.kernels.find(({ kernel }) => kernel === name)!.msPerMegapixel.value;
    // Ultra high definition at 1:4.
    const megapixels = (960 * 540) / 1e6;
    const [blur, colour, ...more] = sumsOf([]);
    expect(more).toEqual([]);
    expect(blur).toMatchObject({ kind: 'blur', pictures: 48 });
    expect(blur!.ms).toBeCloseTo(48 * perMegapixel('blur') * megapixels, 6);
    expect(colour).toMatchObject({ kind: 'colour', pictures: 72 });
    expect(colour!.ms).toBeCloseTo(72 * perMegapixel('colour table') * megapixels, 6);
  });

  it('is that of some stretches alone, and of what is not bypassed', () => {
    expect(sumsOf([{ from: 40, to: 56 }]).map(({ kind, pictures }) => [kind, pictures])).toEqual(
      expect.arrayContaining([
        ['blur', 8],
        ['colour', 16],
      ]),
    );
    expect(sumsOf([{ from: 60, to: 72 }]).map(({ kind }) => kind)).toEqual(['colour']);
    expect(sumsOf([], ['blur']).map(({ kind }) => kind)).toEqual(['colour']);
    expect(sumsOf([], ['blur', 'colour'])).toEqual([]);
  });
});
