import { describe, expect, it } from 'vitest';
import type { Effect } from '../timeline/index.js';
import { clipOf, situationOf, source, strongRig, timelineOf, trackOf } from '../testing/scenes.js';
import { effectSums, workOf } from './index.js';
import { pictureCosts } from './picture-costs.js';

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

  it('is paid for the whole frame behind a transform, and putting the picture there is paid besides', () => {
    const [half, blur] = [effect('transform', { scale: 50 }), effect('blur', { radius: 2 })];
    const costOf = (...effects: Effect[]) => {
      const line = timelineOf([trackOf('p', [clipOf('a', 'a', 0, 48, { effects })])]);
      const work = workOf(situationOf(line, [source('a')], rig, {}));
      const { effects: done, framing } = work.preview.graph.stretches[0]!.layers[0]!;
      const { effectsMs } = pictureCosts(rig, work.preview.playSize)(work.media.get('a')!, {
        effects: done,
        framing,
      });
      return { blur: effectSums(rig, work, [])[0]!.ms / 48, whole: effectsMs };
    };
    const [before, behind] = [costOf(blur, half), costOf(half, blur)];
    expect(before.whole).toBeCloseTo(before.blur, 9);
    // A picture of half the size has a quarter of the pixels.
    expect(behind.blur).toBeCloseTo(4 * before.blur, 9);
    expect(behind.whole).toBeGreaterThan(behind.blur);
  });
});
