import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { sourceFacts } from '../testing/index.js';
import { rational } from '../time/index.js';
import { emptyTimeline, type Clip, type Effect, type Timeline } from '../timeline/index.js';
import {
  layerStages,
  numbersAt,
  opacityAt,
  renderGraph,
  seenAtPoint,
  shapesOf,
  type Layer,
} from './index.js';

const RATE = rational(24);
const SIZE = { width: 160, height: 80 };
const WIDE = sourceFacts({ size: SIZE, frameCount: 100 });
const SQUARE = sourceFacts({ size: { width: 80, height: 80 }, frameCount: 100 });
const CLEAR = sourceFacts({ size: SIZE, frameCount: 100, alpha: true });
const factsOf = (id: string) => ({ square: SQUARE, clear: CLEAR })[id] ?? WIDE;

const transform = (values: Effect['values']): Effect => ({
  id: 'transform',
  kind: 'transform',
  enabled: true,
  values,
});

/** Clips above each other on tracks of their own, the lowest first, all of them 10 frames long. */
function stacked(clips: readonly { sourceId?: string; effects?: readonly Effect[] }[]): Timeline {
  const empty = emptyTimeline(RATE, SIZE);
  const [pictures, sound] = empty.tracks;
  const tracks = clips.map(({ sourceId = 'wide', effects = [] }, at) => {
    const clip: Clip = {
      ...{ id: `${at}`, name: `${at}`, sourceId, start: 0, length: 10, enabled: true },
      ...{ effects: [...effects], sourceIn: rational(0) },
    };
    return { ...pictures!, id: `p${at}`, name: `Picture ${at}`, clips: [clip] };
  });
  return { ...empty, tracks: [...tracks, sound!] };
}

const layersOf = (timeline: Timeline): readonly Layer[] =>
  renderGraph(timeline, factsOf).stretches[0]!.layers;

/** Opacity of a layer in a pixel, as the compositor computes it: by its position, its shapes and its opacity. */
function opacityIn(layer: Layer, x: number, y: number): number {
  const [{ pose, effects }] = layerStages(layer, factsOf(layer.sourceId), SIZE);
  const { placement, raster } = pose;
  const [across, down] = [x - placement!.x, y - placement!.y];
  if (across < 0 || down < 0 || across >= raster.width || down >= raster.height) return 0;
  const shapes = shapesOf(effects, raster, numbersAt(0));
  return seenAtPoint(shapes, across + 0.5, down + 0.5) * opacityAt(effects, 0);
}

/** Layers that contribute to any pixel, the lowest first. */
function contributing(layers: readonly Layer[]): string[] {
  const seen = new Set<string>();
  for (let y = 0; y < SIZE.height; y++)
    for (let x = 0; x < SIZE.width; x++)
      for (const layer of layers.toReversed()) {
        const opacity = opacityIn(layer, x, y);
        if (opacity > 0) seen.add(layer.clipId);
        if (opacity === 1 && layer.sourceId !== 'clear') break;
      }
  return layers.map(({ clipId }) => clipId).filter((id) => seen.has(id));
}

const tenths = fc.constantFrom(0, 0, 10, 30, 50);
const anyClip = fc.record({
  sourceId: fc.constantFrom('wide', 'wide', 'square', 'clear'),
  effects: fc
    .record({
      scale: fc.constantFrom(25, 50, 100, 150),
      across: fc.constantFrom(-100, -50, -25, 0, 25, 50, 100),
      down: fc.constantFrom(-50, -25, 0, 25, 50),
      opacity: fc.constantFrom(100, 100, 100, 50),
      ...{ cropLeft: tenths, cropRight: tenths, cropTop: tenths, cropBottom: tenths },
    })
    .map((values) => [transform(values)]),
});

describe('Layers that others cover together', () => {
  it('are left out exactly when they contribute to no pixel', () => {
    let leftOut = 0;
    fc.assert(
      fc.property(fc.array(anyClip, { minLength: 2, maxLength: 6 }), (clips) => {
        const all = clips.map(
          (_, at) => renderGraph(stacked(clips.slice(at, at + 1)), factsOf).stretches[0]!.layers[0],
        );
        // A clip outside the frame is in no graph, not even alone.
        const layers = all.flatMap((layer, at) => (layer ? [{ ...layer, clipId: `${at}` }] : []));
        expect(layersOf(stacked(clips)).map(({ clipId }) => clipId)).toEqual(contributing(layers));
        leftOut += clips.length - layersOf(stacked(clips)).length;
      }),
      { numRuns: 60 },
    );
    expect(leftOut).toBeGreaterThan(0);
  });

  const left = { effects: [transform({ cropRight: 50 })] };
  const right = { effects: [transform({ cropLeft: 50 })] };
  const idsOf = (clips: Parameters<typeof stacked>[0]): string[] =>
    layersOf(stacked(clips)).map(({ clipId }) => clipId);

  it('are below a split screen, and below a smaller picture only what is as small', () => {
    expect(idsOf([{}, left, right])).toEqual(['1', '2']);
    const inset = { effects: [transform({ scale: 50 })] };
    expect(idsOf([{}, { effects: [transform({ scale: 25 })] }, inset])).toEqual(['0', '2']);
  });

  it('are seen through a gap, a feathered mask, transparency, and what turns or moves', () => {
    const mask: Effect = { id: 'mask', kind: 'mask', enabled: true, values: {} };
    const moving: Effect = {
      ...transform({ cropLeft: 50 }),
      keyframes: { cropLeft: [0, 9].map((frame) => ({ frame, value: 50 + frame, ease: 'linear' as const })) },
    };
    for (const other of [
      { effects: [transform({ cropLeft: 52 })] },
      { effects: [transform({ cropLeft: 50 }), mask] },
      { effects: [transform({ cropLeft: 50, opacity: 99 })] },
      { effects: [transform({ cropLeft: 50, rotation: 1 })] },
      { effects: [moving] },
      { ...right, sourceId: 'clear' },
    ])
      expect(idsOf([{}, left, other])).toEqual(['0', '1', '2']);
  });
});
