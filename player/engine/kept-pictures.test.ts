import { describe, expect, it } from 'vitest';
import type { FrameRange } from '@hone/core/timeline';
import { KeptPictures } from './kept-pictures.js';
import type { Layout } from './layout.js';
import type { PlanView } from './plan-view.js';

describe('kept pictures', () => {
  it('are those of the first minutes of a run, however long the timeline is', () => {
    const asked: FrameRange[] = [];
    const playedPassages = (range: FrameRange): [] => {
      asked.push(range);
      return [];
    };
    const plan = { framesPerSecond: 24, playedPassages } as unknown as PlanView;
    const layout = { playBytes: 100, playSlots: [0, 100] } as unknown as Layout;
    const kept = new KeptPictures();
    // Without a run, nothing of a plan is looked at.
    kept.setPlan(plan, layout);
    kept.beginRun({ from: 1000, to: 1200 });
    kept.beginRun({ from: 1000, to: 1_000_000 });
    // An edit during a run is looked at for that run.
    kept.setPlan(plan, layout);
    expect(asked).toEqual([
      { from: 0, to: 0 },
      { from: 1000, to: 1200 },
      { from: 1000, to: 8200 },
      { from: 1000, to: 8200 },
    ]);
    expect(kept.foundRanges).toEqual([]);
  });
});
