import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { frameBudgetMs, longestFreezes, pacingSummary } from '../playback/index.js';
import { segmentOf, workloadOf } from '../testing/workloads.js';
import { DecodeSearch, listActiveSegments } from './decode-search.js';
import { PREROLL_FRAMES } from '../pacing/index.js';
import type { DecodeWork } from './decode-work.js';
import { planDecoding, restrictWorkload, predict, simulate, withoutKept } from './index.js';
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

const TARGET_MS = 1300;
const PLAIN = { overlaps: false, freezeLimit: { targetMs: TARGET_MS, penalty: 0.3 } };

/** Consecutive cuts from a long group of pictures. @param cold pictures to decode for the first frame of each */
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

describe('the decode plan', () => {
  it('is undefined where the cores decode everything in time', () => {
    expect(planDecoding(workloadOf([segmentOf()]), PLAIN)).toBeUndefined();
    expect(planDecoding(cuts(10, 24, 10, 4), PLAIN)).toBeUndefined();
  });

  it('skips clips, shows more frames and freezes for less', () => {
    const workload = cuts(16, 15, 40, 30);
    const ranges = planDecoding(workload, PLAIN)!;
    expect(ranges.length).toBeLessThan(16);
    const [without, planned] = [played(workload), played(restrictWorkload(workload, ranges))];
    expect(planned.shown).toBeGreaterThan(1.5 * without.shown);
    expect(planned.freezeMs).toBeLessThan(without.freezeMs);
  });

  it('keeps its times in the simulation, for any cuts and costs', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 8, max: 30 }),
        fc.integer({ min: 5, max: 60 }),
        fc.integer({ min: 10, max: 50 }),
        (frames, cold, decodeMs) => {
          const workload = cuts(8, frames, cold, decodeMs);
          const ranges = planDecoding(workload, PLAIN);
          if (!ranges) return;
          const planned = restrictWorkload(workload, ranges);
          const meant = planned.isIncomplete!.reduce((sum, each) => sum + 1 - each, 0);
          expect(played(planned).shown).toBeGreaterThanOrEqual(0.7 * meant);
        },
      ),
      { numRuns: 60 },
    );
  });

  it('begins decoding before the first frame of a range, by a bounded lead', () => {
    const ranges = planDecoding(cuts(16, 15, 40, 30), PLAIN)!;
    for (const { from, to, beginAt } of ranges) {
      expect(to).toBeGreaterThan(from);
      expect(beginAt).toBeLessThan(from);
      expect(beginAt).toBeGreaterThan(from - 110);
    }
  });

  it('restricts a workload to its ranges and marks incomplete frames', () => {
    const workload = workloadOf([segmentOf(), segmentOf({ clipId: 'over', from: 50, to: 150, group: 25 })]);
    const planned = restrictWorkload(workload, [
      { clipId: 'c0', from: 0, to: 240, beginAt: 0 },
      { clipId: 'over', from: 100, to: 130, beginAt: 80 },
    ]);
    expect(planned.segments.map(({ clipId, from, to }) => [clipId, from, to])).toEqual([
      ['c0', 0, 240],
      ['over', 100, 130],
    ]);
    expect(planned.segments[1]!.coldDecodes).toEqual(workload.segments[1]!.coldDecodes.subarray(50, 80));
    expect([...planned.segments[1]!.entries]).toEqual([100, 125]);
    const missing = [...planned.isIncomplete!].flatMap((each, at) => (each ? [at] : []));
    expect(missing).toHaveLength(70);
    expect(missing[0]).toBe(50);
    expect(missing.at(-1)).toBe(149);
    // Only the complete frames are shown.
    expect(played(planned).shown).toBe(170);
    expect(restrictWorkload(workload, undefined)).toBe(workload);
  });
});

describe('pictures in memory', () => {
  // 60 ms for each frame of 42 ms.
  const slow = workloadOf([segmentOf({ decodeMs: 60 })]);

  it('are shown without decoding, and leave time to decode the others', () => {
    const whole = played(slow).shown;
    const half = withoutKept(slow, [{ clipId: 'c0', from: 60, to: 180 }]);
    expect(half.segments.map(({ from, to }) => [from, to])).toEqual([
      [0, 60],
      [180, 240],
    ]);
    expect(played(half).shown).toBeGreaterThan(whole + 30);
  });

  it('show everything where all of them are there', () => {
    const all = withoutKept(slow, [{ clipId: 'c0', from: 0, to: 240 }]);
    expect(played(all).shown).toBe(240);
    expect(withoutKept(slow, [{ clipId: 'other', from: 0, to: 240 }]).segments).toHaveLength(1);
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

  it('follows the plan where it shows more, and decodes everything on request', () => {
    const planned = predict(situation);
    const whole = predict({ ...situation, decoding: 'everything' });
    expect(planned.ranges).toBeDefined();
    expect(whole.ranges).toBeUndefined();
    expect(planned.summary.shown).toBeGreaterThan(whole.summary.shown);
    expect(predict({ ...situation, decoding: planned.ranges! }).summary).toEqual(planned.summary);
  });

  it('has no plan where playback drops a few frames only', () => {
    const mild = situationOf(alone('a'), [source('a')], strongRig({}, 3e9, 1.1 * (1000 / 24)));
    const { ranges, summary } = predict(mild);
    expect(summary.dropped).toBeGreaterThan(0);
    expect(ranges).toBeUndefined();
  });
});

describe('the search for a schedule', () => {
  const halves = (most: number) => fc.integer({ min: 0, max: most }).map((each) => each / 2);
  const frames = 12;
  const costs = fc.array(fc.record({ onwards: halves(5), cold: halves(12), made: halves(2) }), {
    minLength: frames,
    maxLength: frames,
  });

  // With a budget of 40 ms no freeze reaches the target; with 450 ms, the third frame is beyond it.
  it.each([
    [40, 0.3],
    [450, 0.3],
    [450, 2],
  ])('is as good as exhaustive search, with frames of %i ms and penalty %f', (budgetMs, penalty) => {
    fc.assert(
      fc.property(costs, (each) => {
        const workload = workloadOf([segmentOf({ to: frames })], { to: frames });
        const of = (cost: (at: number) => number): Float64Array =>
          Float64Array.from({ length: frames }, (_, at) => cost(at));
        const segment = {
          sequential: of((at) => each[at]!.onwards),
          cold: of((at) => each[at]!.cold),
          render: of((at) => each[at]!.made),
          ...{ duration: of(() => 0), skippable: of(() => 0), maxPerFrame: 1 },
        };
        const work: DecodeWork = { segments: [segment], present: of(() => 0), budgetMs };
        const active = listActiveSegments(workload);
        const { isShown } = new DecodeSearch(workload, work, active, false, {
          targetMs: TARGET_MS,
          penalty,
        }).solve();
        const target = Math.floor(TARGET_MS / budgetMs);
        expect(valueOf(isShown, target, penalty)).toBeCloseTo(bestValue(segment, target, penalty), 4);
      }),
      { numRuns: 100 },
    );
  });
});

/** Frames shown, less the penalty of each frame in a freeze beyond the target, in frames. */
function valueOf(isShown: Uint8Array, target: number, penalty: number): number {
  let [value, freeze] = [0, 0];
  for (const shown of isShown) {
    value += shown ? 1 : freeze >= target ? -penalty : 0;
    freeze = shown ? 0 : freeze + 1;
  }
  return value;
}

/** Best value of a schedule, by independent recursion over all choices: each frame is skipped, decoded, or shown as well. */
function bestValue(segment: DecodeWork['segments'][number], target: number, penalty: number): number {
  const from = (at: number, ahead: number, wasDecoded: boolean, freeze: number): number => {
    if (at === segment.cold.length) return 0;
    const isFree = at <= PREROLL_FRAMES;
    const decode = isFree ? 0 : wasDecoded ? segment.sequential[at]! : segment.cold[at]!;
    const more = (left: number): number => (isFree ? ahead : ahead + 1 - left);
    const [hidden, visible] = [more(decode), more(decode + (isFree ? 0 : segment.render[at]!))];
    const hiding = freeze >= target ? -penalty : 0;
    const skip = hiding + from(at + 1, more(0), false, freeze + 1);
    const kept = hidden >= -12 ? hiding + from(at + 1, hidden, true, freeze + 1) : -Infinity;
    const seen = visible >= 0 ? 1 + from(at + 1, visible, true, 0) : -Infinity;
    return Math.max(skip, kept, seen);
  };
  return from(0, 0, false, 0);
}
