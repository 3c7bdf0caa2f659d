import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  layerTime,
  mixShare,
  numberAt,
  renderGraph,
  stretchesIn,
  type RenderGraph,
} from '../render/index.js';
import { sourceFacts } from '../testing/index.js';
import { rational } from '../time/index.js';
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
  type Timeline,
} from '../timeline/index.js';
import { contentOf, findCached, uncovered, type CachedStretch } from './index.js';

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

/** What a frame shows, by the render graph and the values of its effects at that frame. */
function seenAt(graph: RenderGraph, frame: number): string {
  const { layers } = graph.stretches.find(({ from, to }) => from <= frame && frame < to)!;
  return JSON.stringify(
    layers.map((layer) => {
      const at = frame - layer.clipStart;
      const effects = layer.effects.map((effect) => {
        const keyed = Object.keys(effect.keyframes ?? {}).map((name) => [name, numberAt(effect, name, at)]);
        return [effect.kind, effect.values, keyed, effect.kind === 'grain' ? at : null];
      });
      const { mix, framing, sourceId } = layer;
      const mixed = mix && [mix.kind, mix.colour, mixShare(mix, frame)];
      return [stampOf(sourceId), layerTime(layer, frame, graph.rate), effects, framing, mixed];
    }),
  );
}

/** A stretch as rendered, with what each of its frames showed. */
interface Rendered extends CachedStretch {
  readonly seen: readonly string[];
}

function rendered(id: string, timeline: Timeline, from: number, to: number): Rendered {
  const graph = graphOf(timeline);
  const seen = Array.from({ length: to - from }, (_, at) => seenAt(graph, from + at));
  const content = contentOf(graph, { from, to }, stampOf)!;
  return { id, rate: RATE, size: SIZE, frameCount: to - from, content, bytes: 1, seen };
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
