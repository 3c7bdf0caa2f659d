import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { seenAt, sourceFacts } from '../testing/index.js';
import { rational } from '../time/index.js';
import {
  emptyTimeline,
  putTransition,
  setKeyframe,
  type Clip,
  type Effect,
  type Timeline,
} from '../timeline/index.js';
import { renderGraph, trimParts, unseenParts, type RenderGraph } from './index.js';

const RATE = rational(24);
const SIZE = { width: 640, height: 360 };
const FACTS = sourceFacts({ size: SIZE, frameCount: 4000 });
const factsOf = (id: string) => (id === 'unknown' ? undefined : FACTS);
const effect = (kind: string, values: Effect['values']): Effect => ({
  id: kind,
  kind,
  enabled: true,
  values,
});

const LOOKS: readonly (readonly Effect[])[] = [
  [],
  [effect('transform', { scale: 50 })],
  [effect('transform', { opacity: 0 })],
  [effect('transform', { opacity: 50 })],
  [effect('transform', { scale: 130, rotation: 0 })],
  [effect('mask', {})],
  [effect('transform', { cropLeft: 10 })],
  [effect('grain', {})],
  [effect('blur', { radius: 1 })],
];

let made = 0;
const newId = (): string => `new${made++}`;

const clipOf = (
  id: string,
  start: number,
  length: number,
  effects: readonly Effect[],
  sourceId = id,
): Clip => ({
  ...{ id, name: id, sourceId, start, length, enabled: true, effects: [...effects] },
  sourceIn: rational(10 + start, 24),
});

/** Tracks of picture clips, the lowest first. */
function timelineOf(tracks: readonly (readonly Clip[])[]): Timeline {
  const empty = emptyTimeline(RATE, SIZE);
  const [pictures, sound] = empty.tracks;
  return {
    ...empty,
    tracks: [
      ...tracks.map((clips, at) => ({
        ...pictures!,
        id: `p${at}`,
        name: `Picture ${at}`,
        clips: [...clips],
      })),
      sound!,
    ],
  };
}

/** What each frame shows. */
const frames = (graph: RenderGraph): string[] =>
  Array.from({ length: graph.length }, (_, frame) => seenAt(graph, frame));

const anyClip = fc.record({
  gap: fc.constantFrom(0, 0, 6),
  length: fc.integer({ min: 2, max: 30 }),
  look: fc.nat(LOOKS.length - 1),
  keyed: fc.boolean(),
  crossfade: fc.boolean(),
  enabled: fc.constantFrom(true, true, true, false),
});

const anyTimeline = fc
  .array(fc.array(anyClip, { minLength: 1, maxLength: 4 }), { minLength: 2, maxLength: 3 })
  .map((tracks) => {
    let number = 0;
    let line = timelineOf(
      tracks.map((clips) => {
        let at = 0;
        return clips.map(({ gap, length, look, enabled }) => {
          const clip = { ...clipOf(`c${number++}`, at + gap, length, LOOKS[look]!), enabled };
          at += gap + length;
          return clip;
        });
      }),
    );
    tracks.forEach((clips, track) =>
      clips.forEach(({ keyed, crossfade }, at) => {
        const clip = line.tracks[track]!.clips[at]!;
        if (crossfade) line = putTransition(line, `p${track}`, clip.start, 6, 'crossfade', newId);
        const [first] = clip.effects ?? [];
        if (keyed && first?.kind === 'transform')
          for (const [frame, value] of [
            [1, 90],
            [9, 120],
          ] as const)
            line = setKeyframe(line, { clipId: clip.id, effectId: first.id }, 'scale', {
              frame,
              value,
              ease: 'linear',
            });
      }),
    );
    return line;
  });

describe('Parts that nobody sees', () => {
  it('can go without a change of any frame, and then none are left', () => {
    let trimmed = 0;
    fc.assert(
      fc.property(anyTimeline, (before) => {
        const graph = renderGraph(before, factsOf);
        const parts = unseenParts(before, graph, factsOf);
        const after = trimParts(before, parts, newId);
        const then = renderGraph(after, factsOf);
        expect(frames(then)).toEqual(frames(graph));
        expect(unseenParts(after, then, factsOf)).toEqual([]);
        trimmed += parts.length;
      }),
      { numRuns: 300 },
    );
    expect(trimmed).toBeGreaterThan(100);
  });

  it('are what another clip covers, whole and in the middle, and what is transparent', () => {
    const above = clipOf('above', 20, 10, []);
    const clear = clipOf('clear', 40, 10, [effect('transform', { opacity: 0 })]);
    const line = timelineOf([[clipOf('below', 0, 60, [])], [above, clear]]);
    const parts = unseenParts(line, renderGraph(line, factsOf), factsOf);
    expect(parts.map(({ clipName, trackName, from, to }) => [clipName, trackName, from, to])).toEqual([
      ['below', 'Picture 0', 20, 30],
      ['clear', 'Picture 1', 40, 50],
    ]);
    const [pictures, over] = trimParts(line, parts, newId).tracks;
    expect(pictures!.clips.map(({ start, length }) => [start, length])).toEqual([
      [0, 20],
      [30, 30],
    ]);
    expect(over!.clips.map(({ id }) => id)).toEqual(['above']);
  });

  it('are not those below what lets something through, of unknown sources, or of disabled clips', () => {
    for (const look of [1, 3, 5, 6]) {
      const line = timelineOf([[clipOf('below', 0, 30, [])], [clipOf('above', 0, 30, LOOKS[look]!)]]);
      expect(unseenParts(line, renderGraph(line, factsOf), factsOf)).toEqual([]);
    }
    const missing = clipOf('gone', 0, 30, [], 'unknown');
    const disabled = { ...clipOf('off', 0, 30, []), enabled: false };
    const line = timelineOf([[missing], [disabled], [clipOf('above', 0, 30, [])]]);
    expect(unseenParts(line, renderGraph(line, factsOf), factsOf)).toEqual([]);
  });
});
