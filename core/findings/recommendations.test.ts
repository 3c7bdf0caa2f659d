import { rational } from '../time/index.js';
import { describe, expect, it } from 'vitest';
import type { Rig } from '../machine/index.js';
import { predict, scrubWait } from '../simulation/index.js';
import { type Effect } from '../timeline/index.js';
import { recommending } from './index.js';
import {
  alone,
  clipOf,
  find,
  halfCopy,
  findingsOf,
  contextOf,
  recommend,
  recommendationsFor,
  situationOf,
  source,
  strongRig,
  timelineOf,
  trackOf,
  withCores,
} from '../testing/scenes.js';

describe('what levers are predicted to bring', () => {
  it('can be left after each prediction, and predicts nothing more then', () => {
    const slow = situationOf(alone('a'), [source('a', { gop: 48 })], withCores(strongRig({}, 3e9, 60), 8));
    const context = contextOf(slow);
    const found = findingsOf(context);
    const steps = recommending(slow, context.prediction, found);
    const count = recommend(slow, context.prediction, found).flat().length;
    let yields = 0;
    while (!steps.next().done) yields++;
    expect(count).toBeGreaterThan(1);
    expect(yields).toBeGreaterThan(count);
    const left = recommending(slow, context.prediction, found);
    left.next();
    expect(left.return([]).done).toBe(true);
    expect(left.next().done).toBe(true);
  });

  it('bound by decoding at 1:4: a lower preview scale does not help; bound by effects at 1:1: it is the first that does', () => {
    const slow = situationOf(alone('a'), [source('a', { gop: 48 })], withCores(strongRig({}, 3e9, 60), 8));
    const decode = recommendationsFor(slow, 'serial-decoding');
    const scale = decode.find(({ change }) => change.lever === 'preview scale')!;
    expect(scale.helps).toBe(false);
    expect(scale.loadPercent).toMatchObject({ stage: 'decode' });
    expect(scale.loadPercent.after).toBeCloseTo(scale.loadPercent.before);
    expect(decode[0]).toMatchObject({ change: { lever: 'make copies' }, helps: true, isRealTime: true });
    expect(decode[0]!.framesPerSecond.after).toBeCloseTo(24);

    const effects: Effect[] = [{ id: 'b', kind: 'blur', enabled: true, values: { radius: 2 } }];
    const heavy = situationOf(alone('a', { effects }), [source('a')], strongRig(), { playScale: 1 });
    const [finding] = findingsOf(contextOf(heavy));
    expect(finding).toMatchObject({ kind: 'effects', evidence: { effects: ['blur'] } });
    const found = recommendationsFor(heavy, 'effects');
    expect(found[0]).toMatchObject({ change: { lever: 'preview scale', playScale: 2 }, helps: true });
  });

  it('7: heavy effects are bypassed while it plays, the heaviest first and as many as it takes', () => {
    const effects: Effect[] = [
      { id: 'g', kind: 'grain', enabled: true, values: {} },
      { id: 'b', kind: 'blur', enabled: true, values: { radius: 2 } },
    ];
    const times = (name: string, factor: number) => (kernel: Rig['kernels'][number]) =>
      kernel.kernel === name
        ? {
            ...kernel,
            msPerMegapixel: { ...kernel.msPerMegapixel, value: factor * kernel.msPerMegapixel.value },
          }
        : kernel;
    const base = strongRig();
    const rig = { ...base, kernels: base.kernels.map(times('blur', 30)).map(times('grain', 300)) };
    const heavy = situationOf(alone('a', { effects }), [source('a')], rig, { playScale: 2 });
    const gains = (situation: typeof heavy) =>
      recommendationsFor(situation, 'effects').filter(({ change }) => change.lever === 'effect bypass');
    const [one, both] = gains(heavy).sort((a, b) => Number(a.isRealTime) - Number(b.isRealTime));
    expect(one).toMatchObject({ change: { bypass: ['blur'] }, helps: true, isRealTime: false });
    expect(both).toMatchObject({ change: { bypass: ['blur', 'grain'] }, helps: true, isRealTime: true });
    expect(both!.loadPercent).toMatchObject({ stage: 'effects', after: 0 });
    // What is bypassed already is not offered again, nor named as what takes so long.
    const lighter = situationOf(alone('a', { effects }), [source('a')], rig, {
      playScale: 2,
      bypass: ['blur'],
    });
    expect(findingsOf(contextOf(lighter))[0]).toMatchObject({
      kind: 'effects',
      evidence: { effects: ['grain'] },
    });
    expect(gains(lighter)).toMatchObject([{ change: { bypass: ['blur', 'grain'] }, isRealTime: true }]);
    // A picture at rest has all of them, so that scrubbing waits as long as before.
    const waits = [heavy, lighter].map((each) => scrubWait(each, predict(each).work));
    expect(waits[0]).toEqual(waits[1]);
  });

  it('levers are offered for the finding that they answer, with what they bring to its stretches', () => {
    const blur: Effect[] = [{ id: 'b', kind: 'blur', enabled: true, values: { radius: 2 } }];
    const timeline = timelineOf([
      trackOf('p', [clipOf('a', 'slow', 0, 240), clipOf('b', 'quick', 240, 240, { effects: blur })]),
    ]);
    const sources = [source('slow', { codec: 'vp9', gop: 48 }), source('quick')];
    const base = strongRig({}, 3e9, 2);
    const quick = base.decoders.filter(({ codec }) => codec === 'h264');
    const slow = quick.map((each) => ({
      ...each,
      codec: 'vp9',
      msPerFrame: { ...each.msPerFrame!, value: 55 },
    }));
    const decoders = [...quick, ...slow];
    const situation = situationOf(timeline, sources, { ...base, decoders }, { playScale: 1 });
    const decodes = findingsOf(contextOf(situation)).find(({ stage }) => stage === 'decode')!;
    const decoding = recommendationsFor(situation, decodes.kind);
    const effects = recommendationsFor(situation, 'effects');
    const copies = decoding.find(({ change }) => change.lever === 'make copies')!;
    expect(copies.helps).toBe(true);
    // Of the source that plays there, and no other.
    expect(copies.change).toMatchObject({ copies: [{ sourceId: 'slow' }] });
    expect(decoding.find(({ change }) => change.lever === 'preview scale')!.helps).toBe(false);
    expect(effects.find(({ change }) => change.lever === 'preview scale')!.helps).toBe(true);
    expect(effects.find(({ change }) => change.lever === 'make copies')?.helps ?? false).toBe(false);
  });

  it('copies of everything are offered as well where those that a finding asks for are not all', () => {
    const timeline = timelineOf([trackOf('p', [clipOf('a', 'long', 0, 240), clipOf('b', 'fast', 240, 240)])]);
    const sources = [source('long', { gop: 48 }), source('fast', { rate: rational(60), gop: 48 })];
    const situation = situationOf(timeline, sources, withCores(strongRig({}, 3e9, 60), 8));
    const recommendations = recommendationsFor(situation, 'rate-mismatch');
    const copies = recommendations.flatMap(({ change, isRealTime }) =>
      change.lever === 'make copies' ? [[change.copies.length, isRealTime]] : [],
    );
    expect(copies).toHaveLength(2);
    expect(copies).toEqual(
      expect.arrayContaining([
        [1, false],
        [2, true],
      ]),
    );
  });

  it('copies help where nothing was learned yet, by the figures of a machine that bits cost more than pixels', () => {
    // As measured on two cores: 0.6 Mbit of a 4K picture take 30 ms, 0.7 Mbit of a 1080-line one 10 ms.
    const base = strongRig();
    const measured = (width: number, height: number, megabits: number, ms: number) => ({
      ...base.decoders[0]!,
      ...{ width, height, bitsPerFrame: 1e6 * megabits },
      msPerFrame: { ...base.decoders[0]!.msPerFrame!, value: ms },
    });
    const decoders = [
      measured(3840, 2160, 0.61, 30.2),
      measured(2720, 1530, 0.67, 24),
      measured(1920, 1080, 0.66, 10.2),
      measured(1920, 1080, 0.06, 3.9),
    ];
    const rig = withCores({ ...base, decoders }, 2);
    const pit = source('pit', { rate: rational(60), gop: 60, megabits: 0.61 });
    const situation = situationOf(alone('pit'), [pit], rig);
    const recommendations = recommendationsFor(situation, 'rate-mismatch');
    expect(recommendations[0]).toMatchObject({
      change: { lever: 'make copies' },
      helps: true,
      isRealTime: true,
    });
  });

  it('17: what raising the pixels of a soft picture would cost', () => {
    const copies = [halfCopy('a', 2e5)];
    const soft = situationOf(alone('a'), [source('a')], strongRig(), { lightCopies: true }, copies);
    const recommendations = recommendationsFor(soft, 'soft-picture');
    const higher = recommendations.find(({ change }) => change.lever === 'preview scale')!;
    expect(higher).toMatchObject({ change: { playScale: 2 }, pixels: { width: 1920, height: 1080 } });
    expect(higher.helps).toBe(true);
    // From the originals it would not play any more.
    const slow = { ...soft, rig: withCores(strongRig({}, 3e9, 60), 8) };
    const dear = recommendationsFor(slow, 'soft-picture').find(
      ({ change }) => change.lever === 'play from originals',
    )!;
    expect(dear).toMatchObject({ helps: false, isRealTime: false });
    expect(dear.framesPerSecond.after).toBeLessThan(20);
  });

  it('16: late scrubbing is predicted from the groups that have to be decoded, and answered by copies', () => {
    const long = situationOf(alone('a'), [source('a', { gop: 120 })], strongRig({}, 3e9, 12));
    const { work } = predict(long);
    const wait = scrubWait(long, work)!;
    // Half a group of 120 pictures at 12 ms each, and all of it for the slowest.
    expect(wait.medianMs).toBeGreaterThan(600);
    expect(wait.medianMs).toBeLessThan(900);
    expect(wait.worstTwentiethMs).toBeGreaterThan(1.5 * wait.medianMs);
    const context = contextOf(long, { scrubWait: wait });
    expect(find(context, 'slow-scrubbing')!.evidence).toMatchObject({
      medianMs: wait.medianMs,
      isMeasured: false,
    });
    const [found] = recommend(long, context.prediction, [find(context, 'slow-scrubbing')!]);
    expect(found![0]).toMatchObject({ change: { lever: 'make copies' }, aim: 'scrubbing', helps: true });
    expect(found![0]!.waitMs!.after).toBeLessThan(0.2 * found![0]!.waitMs!.before);
  });

  it('says that all plays only where at most a tenth of the stretches of the finding is dropped', () => {
    const effects: Effect[] = [{ id: 'b', kind: 'blur', enabled: true, values: { radius: 2 } }];
    const timeline = timelineOf([
      trackOf('p', [clipOf('a', 'a', 0, 24, { effects }), clipOf('b', 'a', 24, 2400)]),
    ]);
    const base = strongRig();
    const promised = [2.25, 2.75, 3.25, 3.5].flatMap((factor) => {
      const kernels = base.kernels.map((each) => ({
        ...each,
        msPerMegapixel: { ...each.msPerMegapixel, value: factor * each.msPerMegapixel.value },
      }));
      const situation = situationOf(timeline, [source('a')], { ...base, kernels }, { playScale: 1 });
      return recommendationsFor(situation, 'effects').filter(({ isRealTime }) => isRealTime);
    });
    expect(promised.length).toBeGreaterThan(0);
    for (const { framesPerSecond } of promised)
      expect(framesPerSecond.after).toBeGreaterThanOrEqual(0.9 * 24);
  });
});
