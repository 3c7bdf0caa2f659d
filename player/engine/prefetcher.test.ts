import type { Passage } from '@hone/core/render';
import { describe, expect, it } from 'vitest';
import type { PlanView } from './plan-view.js';
import { Prefetcher } from './prefetcher.js';
import type { StreamSet } from './stream-set.js';

const passage = (clipId: string, from: number, to: number): Passage => ({
  ...{ clipId, sourceId: 'a', from, to, clipStart: from, effects: [], framing: 'fit' },
  sourceIn: { num: 0, den: 1 },
  speed: { num: 1, den: 1 },
});
const plan = {
  framesPerSecond: 24,
  passages: [passage('a', 0, 100), passage('b', 100, 200)],
} as unknown as PlanView;

function setUp(ranges: ConstructorParameters<typeof Prefetcher>[2]) {
  const opened: string[] = [];
  const open = new Set<string>();
  const streams = {
    isOpen: ({ clipId, from }: Passage) => open.has(`${clipId} ${from}`),
    share: () => undefined,
  } as unknown as StreamSet;
  const prefetcher = new Prefetcher(plan, 0, ranges, 2, streams, ({ clipId, from, to }, begin) => {
    open.add(`${clipId} ${from}`);
    opened.push(`${clipId} ${from}-${to} from ${begin}`);
  });
  return { prefetcher, opened };
}

describe('the prefetcher', () => {
  it('opens every passage ahead of its first frame', () => {
    const { prefetcher, opened } = setUp(undefined);
    prefetcher.openAhead(plan, 0, 200);
    expect(opened).toEqual(['a 0-100 from 0']);
    prefetcher.openAhead(plan, 70, 200);
    expect(opened.slice(1)).toEqual(['b 100-200 from 100']);
  });

  it('opens the planned ranges, each at its planned playhead', () => {
    const { prefetcher, opened } = setUp([
      { clipId: 'a', from: 0, to: 20, beginAt: -5 },
      { clipId: 'a', from: 60, to: 100, beginAt: 30 },
      { clipId: 'b', from: 150, to: 200, beginAt: 90 },
    ]);
    prefetcher.openAhead(plan, 0, 200);
    prefetcher.openAhead(plan, 29, 200);
    expect(opened).toEqual(['a 0-20 from 0']);
    prefetcher.openAhead(plan, 30, 200);
    prefetcher.openAhead(plan, 89, 200);
    expect(opened.slice(1)).toEqual(['a 60-100 from 60']);
    prefetcher.openAhead(plan, 90, 200);
    expect(opened.slice(2)).toEqual(['b 150-200 from 150']);
  });

  it('ignores ranges after the preview plan changes', () => {
    const { prefetcher, opened } = setUp([{ clipId: 'a', from: 60, to: 100, beginAt: 30 }]);
    prefetcher.openAhead(plan, 10, 200);
    expect(opened).toEqual([]);
    prefetcher.openAhead({ ...plan } as PlanView, 10, 200);
    expect(opened).toEqual(['a 0-100 from 10']);
  });
});
