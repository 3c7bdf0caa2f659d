import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { layerTime, renderGraph, stretchesIn, type CachePoint, type RenderGraph } from '../render/index.js';
import { layersAt, seenAt, seenLayer, sourceFacts, type SeenLayer } from '../testing/index.js';
import { multiply, rational } from '../time/index.js';
import {
  addEffects,
  changeSpeed,
  emptyTimeline,
  enableClips,
  moveClips,
  putTransition,
  removeClips,
  setFraming,
  setKeyframe,
  splitAt,
  timelineLength,
  trimClip,
  type Clip,
  type Effect,
  type FrameRange,
  type Timeline,
} from '../timeline/index.js';
import {
  cachedSourceId,
  contentOf,
  ContentIndex,
  findCached,
  graphAt,
  nodesOf,
  playFromCache,
  uncovered,
  type CachedStretch,
} from './index.js';

const RATE = rational(24);
const SIZE = { width: 960, height: 540 };
const FACTS = sourceFacts({ size: { width: 1920, height: 1080 }, frameCount: 4000 });
const stampOf = (id: string): string => `content of ${id}`;
const graphOf = (timeline: Timeline): RenderGraph => renderGraph(timeline, () => FACTS);

/** Three clips below, one smaller picture above them. */
function start(): Timeline {
  const clip = (id: string, sourceId: string, at: number, length: number): Clip => ({
    ...{ id, name: id, sourceId, start: at, length, enabled: true },
    sourceIn: rational(20 + at, 24),
  });
  const above: Effect = { id: 'pose', kind: 'transform', enabled: true, values: { scale: 30 } };
  const [pictures, sound] = emptyTimeline(RATE, { width: 1920, height: 1080 }).tracks;
  return {
    ...emptyTimeline(RATE, { width: 1920, height: 1080 }),
    tracks: [
      { ...pictures!, clips: [clip('a', 'one', 0, 40), clip('b', 'two', 40, 50), clip('c', 'one', 90, 40)] },
      { ...pictures!, id: 'p2', clips: [{ ...clip('d', 'two', 60, 40), effects: [above] }] },
      sound!,
    ],
  };
}

/** A stretch as rendered, with what each of its frames showed. */
interface Rendered extends CachedStretch {
  readonly seen: readonly string[];
}

function renderOf(id: string, graph: RenderGraph, { from, to }: FrameRange): Rendered {
  const seen = Array.from({ length: to - from }, (_, at) => seenAt(graph, from + at));
  const content = contentOf(graph, { from, to }, stampOf)!;
  return { id, rate: RATE, size: SIZE, frameCount: to - from, content, bytes: 1, seen };
}

const rendered = (id: string, timeline: Timeline, from: number, to: number): Rendered =>
  renderOf(id, graphOf(timeline), { from, to });

/** Renders of all frames at a cache point, one for each stretch. */
function renderedAt(id: string, graph: RenderGraph, point: CachePoint | undefined): Rendered[] {
  const part = graphAt(graph, point, () => FACTS);
  return part.stretches.flatMap((stretch, number) =>
    stretch.layers.length ? [renderOf(`${id}.${number}`, part, stretch)] : [],
  );
}

/** What a played frame shows, with what cached stretches hold in place of them. */
function playedAt(played: RenderGraph, frame: number, kept: readonly Rendered[]): string {
  const seen = layersAt(played, frame).flatMap((layer): SeenLayer[] => {
    const stretch = kept.find(({ id }) => layer.sourceId === cachedSourceId(id));
    const own = seenLayer(layer, frame, played);
    if (!stretch) return [own];
    const { num, den } = multiply(layerTime(layer, frame, RATE), RATE);
    expect(den).toBe(1);
    const held = JSON.parse(stretch.seen[num]!) as SeenLayer[];
    const top = held.at(-1)!;
    if (own.effects.length) expect(held.length).toBe(1);
    const effects = [...top.effects, ...own.effects];
    return [...held.slice(0, -1), { ...top, effects, mixed: held.length === 1 ? own.mixed : top.mixed }];
  });
  return JSON.stringify(seen);
}

let made = 0;
const newId = (): string => `new${made++}`;
const picked = ({ tracks }: Timeline, at: number): Clip => {
  const clips = tracks.flatMap((track) => (track.kind === 'picture' ? track.clips : []));
  return clips[at % clips.length]!;
};
const only = (timeline: Timeline, at: number): ReadonlySet<string> => new Set([picked(timeline, at).id]);

/** A frame at which a clip of the lower track begins. */
function cutOf({ tracks }: Timeline, by: number): number {
  const { clips } = tracks[0]!;
  return clips[by % Math.max(1, clips.length)]?.start ?? 0;
}

type Edit = (timeline: Timeline, at: number, by: number) => Timeline;

const EDITS: readonly Edit[] = [
  (timeline, at, by) => splitAt(timeline, by * 3, only(timeline, at), newId),
  (timeline, at) => removeClips(timeline, only(timeline, at), true),
  (timeline, at, by) =>
    trimClip(timeline, picked(timeline, at).id, 'start', picked(timeline, at).start + by - 12, () =>
      rational(1000),
    ),
  (timeline, at, by) =>
    trimClip(timeline, picked(timeline, at).id, 'end', picked(timeline, at).start + 5 + by, () =>
      rational(1000),
    ),
  (timeline, at, by) => moveClips(timeline, only(timeline, at), by, 0, newId),
  (timeline, at, by) => changeSpeed(timeline, only(timeline, at), rational(by - 12 || 1, 6)),
  (timeline, at) => enableClips(timeline, only(timeline, at), !picked(timeline, at).enabled),
  (timeline, at, by) => setFraming(timeline, only(timeline, at), by % 2 ? 'fill' : 'fit'),
  (timeline, at, by) => {
    const kind = (['grain', 'blur', 'exposure', 'saturation'] as const)[by % 4]!;
    return addEffects(timeline, only(timeline, at), [{ kind, enabled: true, values: {} }], newId);
  },
  (timeline, at, by) => {
    const clip = picked(timeline, at);
    const effect = clip.effects?.find(({ kind }) => kind === 'exposure' || kind === 'transform');
    const [name, value] = effect?.kind === 'exposure' ? ['stops', by / 12] : ['scale', 20 + by];
    if (!effect) return timeline;
    return setKeyframe(timeline, { clipId: clip.id, effectId: effect.id }, name, {
      frame: by,
      value,
      ease: 'smooth',
    });
  },
  (timeline, at, by) =>
    putTransition(timeline, 'p1', cutOf(timeline, by), 10, at % 2 ? 'crossfade' : 'wipe', newId),
];

const anyEdit = fc.record({
  edit: fc.integer({ min: 0, max: EDITS.length - 1 }),
  at: fc.integer({ min: 0, max: 7 }),
  by: fc.integer({ min: 0, max: 24 }),
  renders: fc.boolean(),
});

const edited = (timeline: Timeline, { edit, at, by }: { edit: number; at: number; by: number }): Timeline => {
  const next = EDITS[edit]!(timeline, at, by);
  return timelineLength(next) > 0 && next.tracks.some(({ clips }) => clips.length) ? next : timeline;
};

describe('The render cache', () => {
  it('is used for frames that show what was rendered, and for all of those that were, over any edits', () => {
    let used = 0;
    fc.assert(
      fc.property(fc.array(anyEdit, { minLength: 1, maxLength: 8 }), (edits) => {
        let timeline = start();
        const kept: Rendered[] = [rendered('r0', timeline, 10, 120)];
        for (const step of edits) {
          timeline = edited(timeline, step);
          const graph = graphOf(timeline);
          if (step.renders) kept.push(rendered(`r${kept.length}`, timeline, 0, graph.length));
          const uses = findCached(graph, kept, stampOf, SIZE);
          for (const { from, to, stretchId, first } of uses)
            for (let frame = from; frame < to; frame++) {
              const { seen } = kept.find(({ id }) => id === stretchId)!;
              expect(seen[first + frame - from]).toBe(seenAt(graph, frame));
              used++;
            }
          expect(uses.every(({ from, to }, at) => from < to && from >= (uses[at - 1]?.to ?? 0))).toBe(true);
          if (!step.renders) continue;
          const shown = stretchesIn(graph, { from: 0, to: graph.length }).filter(
            ({ layers }) => layers.length,
          );
          expect(shown.flatMap((stretch) => uncovered(stretch, uses))).toEqual([]);
        }
      }),
      { numRuns: 150 },
    );
    expect(used).toBeGreaterThan(1000);
  });

  it('holds parts of the picture for any cache point, and what is live beside them makes the same frames', () => {
    let parts = 0;
    fc.assert(
      fc.property(
        fc.array(anyEdit, { minLength: 1, maxLength: 8 }),
        fc.array(fc.nat(30), { minLength: 1, maxLength: 4 }),
        (edits, picks) => {
          let timeline = start();
          let kept: Rendered[] = [];
          for (const step of edits) {
            timeline = edited(timeline, step);
            const graph = graphOf(timeline);
            if (step.renders) {
              const nodes = graph.stretches.flatMap((stretch) =>
                nodesOf(stretch, graph.size, () => FACTS).filter(({ point }) => point),
              );
              for (const pick of nodes.length ? picks : []) {
                const made = renderedAt(`r${kept.length}`, graph, nodes[pick % nodes.length]!.point);
                kept = [...kept, ...made];
              }
            }
            const index = new ContentIndex(kept, stampOf, SIZE);
            const { played, cached } = playFromCache(graph, index, () => FACTS);
            expect(played.stretches.map(({ from }) => from)).toEqual(
              played.stretches.map((_, at) => (at ? played.stretches[at - 1]!.to : 0)),
            );
            expect(played.stretches.at(-1)!.to).toBe(graph.length);
            for (let frame = 0; frame < graph.length; frame++)
              expect(playedAt(played, frame, kept)).toBe(seenAt(graph, frame));
            for (const { from, to, point } of cached) if (point) parts += to - from;
          }
        },
      ),
      { numRuns: 150 },
    );
    expect(parts).toBeGreaterThan(1000);
  });

  it('stands for what is below a clip, which stays live', () => {
    const timeline = start();
    const tracks = timeline.tracks.map((track) => ({
      ...track,
      clips: track.clips.map((clip) => (clip.id === 'd' ? { ...clip, sourceId: 'three' } : clip)),
    }));
    const graph = graphOf({ ...timeline, tracks });
    const all = renderedAt('below', graph, { kind: 'below', clipId: 'd' });
    expect(all.map(({ frameCount }) => frameCount)).toEqual([40, 20, 30, 10, 30]);
    // Only those of the frames that have the clip.
    const below = all.slice(2, 4);
    const { played, cached } = playFromCache(graph, new ContentIndex(below, stampOf, SIZE), () => FACTS);
    const point = { kind: 'below', clipId: 'd' };
    expect(cached.map(({ from, to, point: of }) => [from, to, of])).toEqual([
      [60, 90, point],
      [90, 100, point],
    ]);
    expect(layersAt(played, 70).map(({ sourceId }) => sourceId)).toEqual([
      cachedSourceId(below[0]!.id),
      'three',
    ]);
    expect(layersAt(played, 110).map(({ sourceId }) => sourceId)).toEqual(['one']);
  });

  it('is valid again after undo, also what was rendered before', () => {
    const timeline = start();
    const stretch = rendered('r', timeline, 0, 130);
    const blurred = addEffects(
      timeline,
      new Set(['b']),
      [{ kind: 'blur', enabled: true, values: {} }],
      newId,
    );
    const of = (each: Timeline) =>
      findCached(graphOf(each), [stretch], stampOf, SIZE).map(({ from, to }) => [from, to]);
    expect(of(blurred)).toEqual([
      [0, 40],
      [90, 130],
    ]);
    expect(of(timeline)).toEqual([[0, 130]]);
  });

  it('is not used for another size, or for sources of other content', () => {
    const graph = graphOf(start());
    const stretch = rendered('r', start(), 0, 130);
    expect(findCached(graph, [stretch], stampOf, { width: 480, height: 270 })).toEqual([]);
    expect(findCached(graph, [stretch], (id) => `other ${id}`, SIZE)).toEqual([]);
    expect(findCached(graph, [stretch], () => undefined, SIZE)).toEqual([]);
    expect(contentOf(graph, { from: 0, to: 10 }, () => undefined)).toBeUndefined();
  });
});
