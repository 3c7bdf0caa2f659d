import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { frameBudgetMs, longestFreezes, pacingSummary } from '../playback/index.js';
import { segmentOf, workloadOf } from '../testing/workloads.js';
import { DecodeSearch, seenIn } from './decode-search.js';
import type { DecodeWork } from './decode-work.js';
import { planDecoding, plannedWorkload, predict, simulate } from './index.js';
import {
  alone,
  clipOf,
  situationOf,
  source,
  strongRig,
  timelineOf,
  trackOf,
  withCores,
} from '../testing/scenes.js';
import { rational } from '../time/index.js';
import type { Workload } from '../cost-model/index.js';

/** Cuts of a clip whose key frames are far apart: one after the other, each with so many pictures before its first. */
const cuts = (count: number, frames: number, cold: number, decodeMs: number): Workload => {
  const segments = Array.from({ length: count }, (_, at) =>
    segmentOf({ from: at * frames, to: (at + 1) * frames, group: 1000, cold, decodeMs }),
  );
  return workloadOf(segments, { to: count * frames, cores: 2 });
};

const played = (workload: Workload): { shown: number; freezeMs: number } => {
  const { log } = simulate(workload);
  const [longest] = longestFreezes(log, frameBudgetMs(workload.rate));
  return { shown: pacingSummary(log, workload.rate).shown, freezeMs: longest?.freezeMs ?? 0 };
};

describe('a plan of what is decoded', () => {
  it('is none where everything can be decoded in time', () => {
    expect(planDecoding(workloadOf([segmentOf()]))).toBeUndefined();
    expect(planDecoding(cuts(10, 24, 10, 4))).toBeUndefined();
  });

  it('leaves clips out so that the others are shown', () => {
    const workload = cuts(16, 15, 40, 30);
    const ranges = planDecoding(workload)!;
    expect(ranges.length).toBeLessThan(16);
    const [without, planned] = [played(workload), played(plannedWorkload(workload, ranges))];
    expect(planned.shown).toBeGreaterThan(1.5 * without.shown);
    expect(planned.freezeMs).toBeLessThan(without.freezeMs);
  });

  it('shows in the simulation what it was made to show, whatever cuts and costs are (by playing it)', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 8, max: 30 }),
        fc.integer({ min: 5, max: 60 }),
        fc.integer({ min: 10, max: 50 }),
        (frames, cold, decodeMs) => {
          const workload = cuts(8, frames, cold, decodeMs);
          const ranges = planDecoding(workload);
          if (!ranges) return;
          const planned = plannedWorkload(workload, ranges);
          const meant = planned.leftOut!.reduce((sum, each) => sum + 1 - each, 0);
          expect(played(planned).shown).toBeGreaterThanOrEqual(0.7 * meant);
        },
      ),
      { numRuns: 60 },
    );
  });

  it('begins early enough to be ready, and not long before where there is time', () => {
    const ranges = planDecoding(cuts(16, 15, 40, 30))!;
    for (const { from, to, beginAt } of ranges) {
      expect(to).toBeGreaterThan(from);
      expect(beginAt).toBeLessThan(from);
      expect(beginAt).toBeGreaterThan(from - 110);
    }
  });

  it('keeps of a workload what is decoded, and says of each frame whether something is missing', () => {
    const workload = workloadOf([segmentOf(), segmentOf({ clipId: 'over', from: 50, to: 150, group: 25 })]);
    const planned = plannedWorkload(workload, [
      { clipId: 'c0', from: 0, to: 240, beginAt: 0 },
      { clipId: 'over', from: 100, to: 130, beginAt: 80 },
    ]);
    expect(planned.segments.map(({ clipId, from, to }) => [clipId, from, to])).toEqual([
      ['c0', 0, 240],
      ['over', 100, 130],
    ]);
    expect(planned.segments[1]!.coldDecodes).toEqual(workload.segments[1]!.coldDecodes.subarray(50, 80));
    expect([...planned.segments[1]!.entries]).toEqual([100, 125]);
    const missing = [...planned.leftOut!].flatMap((each, at) => (each ? [at] : []));
    expect(missing).toHaveLength(70);
    expect(missing[0]).toBe(50);
    expect(missing.at(-1)).toBe(149);
    // Those frames are never ready, and the others all are.
    expect(played(planned).shown).toBe(170);
    expect(plannedWorkload(workload, undefined)).toBe(workload);
  });
});

describe('a prediction', () => {
  const situation = situationOf(
    timelineOf([
      trackOf(
        'p',
        Array.from({ length: 12 }, (_, at) =>
          clipOf(`c${at}`, 'a', 15 * at, 15, { sourceIn: rational(1 + (at % 3)) }),
        ),
      ),
    ]),
    [source('a', { gop: 250 })],
    withCores(strongRig({}, 3e9, 23), 2),
  );

  it('is of what is planned where that shows more, and of everything where it must not be planned', () => {
    const planned = predict(situation);
    const whole = predict({ ...situation, decodesAll: true });
    expect(planned.ranges).toBeDefined();
    expect(whole.ranges).toBeUndefined();
    expect(planned.summary.shown).toBeGreaterThan(whole.summary.shown);
    expect(predict(situation, undefined, { ranges: undefined }).summary).toEqual(whole.summary);
    expect(predict(situation, undefined, { ranges: planned.ranges }).summary).toEqual(planned.summary);
  });

  it('plans nothing where playback only drops a few frames', () => {
    const mild = situationOf(alone('a'), [source('a')], strongRig({}, 3e9, 1.1 * (1000 / 24)));
    const { ranges, summary } = predict(mild);
    expect(summary.dropped).toBeGreaterThan(0);
    expect(ranges).toBeUndefined();
  });
});

describe('the search for what is decoded', () => {
  it('shows as many frames as the best of all choices, frame by frame (by trying them all)', () => {
    const quarters = (most: number) => fc.integer({ min: 0, max: most }).map((each) => each / 4);
    const frames = 16;
    const arbitrary = fc.array(fc.record({ onwards: quarters(10), cold: quarters(24), made: quarters(3) }), {
      minLength: frames,
      maxLength: frames,
    });
    fc.assert(
      fc.property(arbitrary, (costs) => {
        const workload = workloadOf([segmentOf({ to: frames })], { to: frames });
        const of = (cost: (at: number) => number): Float64Array =>
          Float64Array.from({ length: frames }, (_, at) => cost(at));
        const segment = {
          onwards: of((at) => costs[at]!.onwards),
          cold: of((at) => costs[at]!.cold),
          made: of((at) => costs[at]!.made),
          ...{ serial: of(() => 0), spared: of(() => 0), most: 1 },
        };
        const work: DecodeWork = { segments: [segment], composed: of(() => 0), budgetMs: 40 };
        const { shown } = new DecodeSearch(workload, work, seenIn(workload)).run();
        // What playing begins with is free; the last of it may be left, so that decoding begins anew after it.
        const best = Math.max(6 + most(segment, 6, 0, true), 5 + most(segment, 6, 0, false));
        expect(shown.reduce((sum, each) => sum + each, 0)).toBe(best);
      }),
      { numRuns: 100 },
    );
  });
});

/** The most frames from one on that can be shown: each is left, decoded, or decoded and shown. @param ahead in frames */
function most(
  segment: DecodeWork['segments'][number],
  at: number,
  ahead: number,
  wasDecoded: boolean,
): number {
  if (at === segment.cold.length) return 0;
  const decode = wasDecoded ? segment.onwards[at]! : segment.cold[at]!;
  const left = most(segment, at + 1, Math.min(36, ahead + 1), false);
  const [hidden, visible] = [ahead + 1 - decode, ahead + 1 - decode - segment.made[at]!];
  const kept = hidden >= -12 ? most(segment, at + 1, Math.min(36, hidden), true) : 0;
  const seen = visible >= 0 ? 1 + most(segment, at + 1, Math.min(36, visible), true) : 0;
  return Math.max(left, kept, seen);
}
