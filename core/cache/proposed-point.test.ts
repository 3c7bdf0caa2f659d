import { describe, expect, it } from 'vitest';
import { renderGraph, type KnownEffect } from '../render/index.js';
import { sourceFacts } from '../testing/index.js';
import { rational } from '../time/index.js';
import { emptyTimeline, type Effect, type Timeline } from '../timeline/index.js';
import { adjustedEffect, nodeAt, nodesOf, proposedNode, type CacheNode } from './index.js';

const FACTS = sourceFacts({ size: { width: 1920, height: 1080 }, frameCount: 400 });
const effect = (kind: string, values: Effect['values'] = {}): Effect => ({
  ...{ id: kind, kind, enabled: true, values },
});

/** A clip with a blur and an exposure below, and a small one with a vignette above it. */
function timelineOf(stops: number, amount = 50): Timeline {
  const empty = emptyTimeline(rational(24), { width: 1920, height: 1080 });
  const [pictures, sound] = empty.tracks;
  const clip = (id: string, effects: Effect[]) => ({
    ...{ id, name: id, sourceId: id, start: 0, length: 48, sourceIn: rational(0), enabled: true },
    effects,
  });
  const below = clip('below', [effect('blur', { radius: 4 }), effect('exposure', { stops })]);
  const above = clip('above', [effect('vignette', { amount }), effect('transform', { scale: 30 })]);
  return {
    ...empty,
    tracks: [{ ...pictures!, clips: [below] }, { ...pictures!, id: 'p2', clips: [above] }, sound!],
  };
}

const nodes = (timeline: Timeline): CacheNode[] => {
  const graph = renderGraph(timeline, () => FACTS);
  return nodesOf(graph.stretches[0]!, graph.size, () => FACTS);
};
const COSTS: Partial<Record<KnownEffect['kind'], number>> = { blur: 20, exposure: 2, vignette: 5 };
const msOf = ({ kind }: KnownEffect): number => COSTS[kind] ?? 0;
const proposed = (timeline: Timeline, past: Timeline[]) =>
  proposedNode(nodes(timeline), adjustedEffect(timeline, past), msOf)?.point;

describe('Cache points', () => {
  it('are the whole picture, what is below a clip, and clips that fill the frame, up to each effect', () => {
    expect(
      nodes(timelineOf(1)).map(({ point, count }) => [point?.kind, point?.clipId, point?.effects, count]),
    ).toEqual([
      [undefined, undefined, undefined, 2],
      ['below', 'above', undefined, 1],
      ['clip', 'below', 2, 1],
      ['clip', 'below', 1, 1],
      ['clip', 'below', 0, 1],
      // With its transform, the clip above does not fill the frame.
      ['clip', 'above', 1, 1],
      ['clip', 'above', 0, 1],
    ]);
  });

  it('are none where a picture is enlarged later: a file of the frame’s size has too few pixels', () => {
    const facts = sourceFacts({ size: { width: 3840, height: 2160 }, frameCount: 400 });
    const layers = (scale: number) => {
      const timeline = timelineOf(1);
      const tracks = timeline.tracks.map((track) => ({
        ...track,
        clips: track.clips.map((clip) => ({
          ...clip,
          effects: [effect('blur'), effect('transform', { scale })],
        })),
      }));
      return renderGraph({ ...timeline, tracks }, () => facts).stretches[0]!.layers;
    };
    const at = (scale: number) =>
      nodeAt(
        layers(scale),
        { kind: 'clip', clipId: 'above', effects: 1 },
        { width: 1920, height: 1080 },
        () => facts,
      );
    expect(at(50)?.live?.effects.map(({ kind }) => kind)).toEqual(['transform']);
    expect(at(200)).toBeNull();
  });
});

describe('The proposed cache point', () => {
  it('is the whole picture while no effect is adjusted', () => {
    expect(proposed(timelineOf(1), [])).toBeUndefined();
    expect(proposed(timelineOf(1), [timelineOf(1)])).toBeUndefined();
  });

  it('leaves the effect that was changed last live, and takes what costs most of the rest', () => {
    // The exposure of the lower clip: its blur costs more than the vignette above.
    expect(proposed(timelineOf(2), [timelineOf(1)])).toMatchObject({
      kind: 'clip',
      clipId: 'below',
      effects: 1,
    });
    // The vignette above: all below it can be kept.
    expect(proposed(timelineOf(2, 80), [timelineOf(1), timelineOf(2)])).toMatchObject({
      ...{ kind: 'below', clipId: 'above' },
    });
  });

  it('is found through later edits of other things', () => {
    const timeline = timelineOf(2);
    const renamed = { ...timeline, markers: [{ id: 'm', frame: 3, name: 'here', note: '' }] };
    expect(adjustedEffect(renamed, [timelineOf(1), timeline])).toEqual({ clipId: 'below', before: 1 });
  });
});
