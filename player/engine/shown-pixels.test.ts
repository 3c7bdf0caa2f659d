import { BYPASSABLE, PLAINEST } from '@hone/core/levers';
import { previewGraph } from '@hone/core/render';
import { sourceFacts } from '@hone/core/testing';
import { rational } from '@hone/core/time';
import type { Timeline } from '@hone/core/timeline';
import { describe, expect, it } from 'vitest';
import type { PreviewPlan } from '../plan.js';
import { PlanView } from './plan-view.js';
import { shownPixels } from './shown-pixels.js';
import type { ReadyPicture } from './ready-picture.js';

const SIZE = { width: 64, height: 36 };
const effects = ['exposure', 'transform', 'blur', 'denoise'].map((kind) => ({
  ...{ id: kind, kind, enabled: true },
  values: {},
}));
const timeline: Timeline = {
  ...{ rate: rational(24), startFrame: 0, size: SIZE },
  tracks: [
    {
      ...{ id: 'p', kind: 'picture', name: 'p', enabled: true },
      clips: [
        {
          id: 'a',
          name: 'a',
          sourceId: 'a',
          start: 0,
          length: 10,
          sourceIn: rational(0),
          enabled: true,
          effects,
        },
      ],
    },
  ],
};

function planOf(bypass: (typeof BYPASSABLE)[number][]): PlanView {
  const tuning = { ...PLAINEST, bypass };
  const facts = sourceFacts({ size: SIZE });
  const preview = previewGraph(
    timeline,
    tuning,
    () => facts,
    () => undefined,
  );
  return new PlanView({
    preview,
    pictures: { a: { choice: 'original' } },
    originals: {},
    missing: {},
  } as unknown as PreviewPlan);
}

describe('effects that a picture is shown without', () => {
  it('are those that it was made without, and those that no preview has', () => {
    const plan = planOf(['blur']);
    const [clip] = plan.passages;
    const leftOut = (done: ReadyPicture['effects']) => {
      const ready = new Map([['a', { decoder: 'browser', effects: done } as unknown as ReadyPicture]]);
      return shownPixels(plan.layersAt(0), plan, ready, SIZE).leftOut;
    };
    expect(leftOut(plan.played(clip!).effects)).toEqual(['denoise', 'blur']);
    // At rest it is made with all of them.
    expect(leftOut(clip!.effects)).toEqual(['denoise']);
    // A slate has none of them done, and says nothing of it.
    expect(shownPixels(plan.layersAt(0), plan, undefined, SIZE).leftOut).toEqual(['denoise']);
  });

  it('leave a picture in the coding that it has, where nothing else is done to it', () => {
    const kinds = (bypass: (typeof BYPASSABLE)[number][]) => {
      const plan = planOf(bypass);
      return plan.played(plan.passages[0]!).effects.map(({ kind }) => kind);
    };
    expect(kinds([])).toEqual(['denoise', 'exposure', 'transform', 'blur']);
    expect(kinds([...BYPASSABLE])).toEqual(['denoise', 'transform']);
    const plan = planOf([]);
    expect(plan.recodes(plan.passages[0]!)).toBe(true);
    expect(plan.recodes({ ...plan.passages[0]!, effects: [] })).toBe(false);
  });
});

describe('where a picture is from', () => {
  it('names a decoder, but for files of the render cache that hold planes', () => {
    const plan = planOf([]);
    const originOf = (choice: string, codec: string) => {
      const file = { choice, codec, pixels: SIZE };
      const ready = new Map([['a', { decoder: 'browser', effects: [], file } as unknown as ReadyPicture]]);
      return shownPixels(plan.layersAt(0), plan, ready, SIZE).from;
    };
    expect(originOf('render cache', 'h264')).toMatchObject([{ choice: 'render cache', decoder: 'browser' }]);
    expect(originOf('render cache', 'rawvideo')).toMatchObject([{ choice: 'render cache', decoder: null }]);
    expect(originOf('original', 'rawvideo')).toMatchObject([{ choice: 'original', decoder: 'browser' }]);
  });
});
