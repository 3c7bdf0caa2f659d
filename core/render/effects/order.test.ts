import { describe, expect, it } from 'vitest';
import type { EffectKind } from './catalogue.js';
import { stagesOf } from './geometry.js';
import { executionOrder, splitStages, usualPlace } from './order.js';
import type { KnownEffect } from './values.js';

const listed = (...kinds: EffectKind[]): KnownEffect[] =>
  kinds.map((kind, at) => ({ kind, id: `${kind} ${at}`, enabled: true, values: {} }));
const kindsOf = (effects: readonly KnownEffect[]): string => effects.map(({ kind }) => kind).join(' ');
const stagesIn = (...kinds: EffectKind[]): string[] => splitStages(listed(...kinds)).map(kindsOf);

describe('the order of effects', () => {
  it('is that of the list, with temporal noise reduction first', () => {
    expect(kindsOf(executionOrder(listed('transform', 'title', 'denoise', 'mask')))).toBe(
      'denoise transform title mask',
    );
    const list = listed('denoise', 'mask', 'blur', 'transform');
    expect(executionOrder(list)).toBe(list);
  });

  it('needs one stage where pixels come before masks and those before the transform', () => {
    expect(stagesIn()).toEqual(['']);
    expect(stagesIn('title', 'blur', 'mask', 'transform')).toEqual(['title blur mask transform']);
  });

  it('needs another stage for what gives another result behind a mask or a transform', () => {
    expect(stagesIn('mask', 'blur')).toEqual(['mask', 'blur']);
    expect(stagesIn('mask', 'title')).toEqual(['mask', 'title']);
    expect(stagesIn('transform', 'title', 'exposure')).toEqual(['transform', 'title exposure']);
    expect(stagesIn('transform', 'vignette')).toEqual(['transform', 'vignette']);
    expect(stagesIn('transform', 'mask', 'blur')).toEqual(['transform', 'mask', 'blur']);
  });

  it('needs none for what gives the same result before and behind', () => {
    expect(stagesIn('mask', 'vignette', 'grain', 'sharpen', 'contrast')).toHaveLength(1);
    expect(stagesIn('transform', 'exposure', 'saturation', 'table')).toHaveLength(1);
  });

  it('has a new effect where it needs no stage of its own', () => {
    const list = listed('exposure', 'mask', 'transform');
    expect(usualPlace(list, 'title')).toBe(1);
    expect(usualPlace(list, 'mask')).toBe(2);
    expect(usualPlace(list, 'transform')).toBe(3);
    expect(usualPlace([], 'blur')).toBe(0);
    for (const kind of ['blur', 'mask', 'title'] as const) {
      const at = usualPlace(list, kind);
      const added = [...list.slice(0, at), ...listed(kind), ...list.slice(at)];
      expect(splitStages(added)).toHaveLength(1);
    }
  });

  it('makes the picture of each later stage in the size of the frame', () => {
    const [transform, title] = listed('transform', 'title');
    const half = { ...transform!, values: { scale: 50 } };
    const frame = { width: 960, height: 540 };
    const source = { width: 3840, height: 2160 };
    const stages = stagesOf([half, title!], source, frame);
    expect(stages.map(({ pose }) => pose.raster.width)).toEqual([480, 960]);
    expect(stages[1]!.pose.placement).toEqual({ x: 0, y: 0, ...frame });
    const enlarged = stagesOf(
      [title!, ...listed('mask', 'blur'), { ...half, values: { scale: 130 } }],
      source,
      frame,
    );
    expect(enlarged.map(({ pose }) => [pose.raster.width, pose.placement === null])).toEqual([
      [960, false],
      [960, true],
    ]);
  });
});
