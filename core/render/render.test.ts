import { describe, expect, it } from 'vitest';
import type { SourceFacts } from '../media/index.js';
import { BYPASSABLE, PLAINEST, type Bypassable, type Tuning } from '../levers/index.js';
import { sourceFacts } from '../testing/index.js';
import { rational, ZERO } from '../time/index.js';
import type { Clip, Effect, Timeline, Track } from '../timeline/index.js';
import {
  bypassableIn,
  bytesByRate,
  conformFilters,
  cutsOf,
  defaultDelivery,
  deliveryRemarks,
  layerTime,
  pieceOf,
  samplePieces,
  exportCommand,
  exportGraph,
  passagesOf,
  withoutKinds,
  poseOf,
  previewGraph,
  proofFrames,
  renderGraph,
  sourcesOf,
  type RenderAssets,
  type SoundPart,
} from './index.js';

const RATE = rational(24);
const UHD = { width: 3840, height: 2160 };

const facts = (width: number, height: number, rate = RATE, constantRate = true): SourceFacts =>
  sourceFacts(
    { size: { width, height }, rate, constantRate },
    { sound: { codec: 'aac', sampleRate: 48_000, channels: 2 } },
  );

const KNOWN: Record<string, SourceFacts> = {
  wide: facts(3840, 2160),
  small: facts(1920, 1080, rational(25)),
  tall: facts(1080, 1920),
};
const factsOf = (id: string): SourceFacts | undefined => KNOWN[id];

const clip = (id: string, sourceId: string, start: number, length: number, enabled = true): Clip => ({
  id,
  name: id,
  sourceId,
  start,
  length,
  sourceIn: rational(start, 24),
  enabled,
});

function timeline(...pictures: Clip[][]): Timeline {
  const track =
    (kind: Track['kind']) =>
    (clips: Clip[], index: number): Track => ({
      id: `${kind}${index}`,
      kind,
      name: kind,
      enabled: true,
      clips,
    });
  const sound = [[clip('sound', 'wide', 0, 40)]].map(track('sound'));
  return { rate: RATE, startFrame: 0, size: UHD, tracks: [...pictures.map(track('picture')), ...sound] };
}

describe('the render graph', () => {
  it('leaves out what lies under a clip that fills the frame', () => {
    const graph = renderGraph(timeline([clip('a', 'wide', 0, 48)], [clip('b', 'small', 12, 12)]), factsOf);
    expect(
      graph.stretches.map(({ from, to, layers }) => [from, to, layers.map(({ clipId }) => clipId)]),
    ).toEqual([
      [0, 12, ['a']],
      [12, 24, ['b']],
      [24, 48, ['a']],
    ]);
    expect(cutsOf(graph)).toEqual([12, 24]);
  });

  it('keeps what shows beside one that does not fill it', () => {
    const graph = renderGraph(timeline([clip('a', 'wide', 0, 24)], [clip('b', 'tall', 0, 24)]), factsOf);
    expect(graph.stretches[0]!.layers.map(({ clipId }) => clipId)).toEqual(['a', 'b']);
  });

  it('leaves out seven stacked takes but the one on top', () => {
    const takes = Array.from({ length: 7 }, (_, index) => [clip(`take${index}`, 'wide', 0, 24)]);
    const graph = renderGraph(timeline(...takes), factsOf);
    expect(graph.stretches[0]!.layers).toHaveLength(1);
    expect(graph.stretches[0]!.layers[0]!.clipId).toBe('take6');
  });

  it('shows neither what is disabled nor what is unknown, and leaves gaps black', () => {
    const graph = renderGraph(
      timeline(
        [clip('a', 'wide', 12, 12)],
        [clip('off', 'wide', 0, 24, false)],
        [clip('gone', 'none', 0, 40)],
      ),
      factsOf,
    );
    expect(graph.stretches.map(({ layers }) => layers.length)).toEqual([0, 1, 0]);
    expect(sourcesOf(graph)).toEqual(['wide']);
  });

  it('makes a picture as large as fits, in the middle, on even pixels', () => {
    expect(poseOf([], { width: 1920, height: 1080 }, UHD).placement).toEqual({ x: 0, y: 0, ...UHD });
    const tall = poseOf([], { width: 1080, height: 1920 }, UHD);
    expect(tall.placement).toEqual({ x: 1312, y: 0, width: 1216, height: 2160 });
    expect(poseOf([], { width: 2720, height: 1530 }, { width: 960, height: 540 }).placement).toEqual({
      x: 0,
      y: 0,
      width: 960,
      height: 540,
    });
  });

  it('joins stretches of one clip to a passage', () => {
    const graph = renderGraph(timeline([clip('a', 'wide', 0, 48)], [clip('b', 'tall', 12, 12)]), factsOf);
    expect(passagesOf(graph).map(({ clipId, from, to }) => [clipId, from, to])).toEqual([
      ['a', 0, 48],
      ['b', 12, 24],
    ]);
  });

  it('of a preview differs from that of an export in what it is played from alone', () => {
    const line = timeline([clip('a', 'wide', 0, 24), clip('b', 'small', 24, 24)]);
    const copyOf = (id: string): string | undefined => (id === 'wide' ? 'copy1' : undefined);
    const engaged = previewGraph(line, { playScale: 4, restScale: 2, lightCopies: true }, factsOf, copyOf);
    expect(engaged.playSize).toEqual({ width: 960, height: 540 });
    expect(engaged.restSize).toEqual({ width: 1920, height: 1080 });
    expect(engaged.media).toEqual({
      wide: { kind: 'light copy', copyId: 'copy1' },
      small: { kind: 'original' },
    });
    expect(previewGraph(line, PLAINEST, factsOf, copyOf).media['wide']).toEqual({ kind: 'original' });
    expect(engaged.graph).toEqual(exportGraph(line, defaultDelivery(UHD), factsOf).graph);
  });

  it('keeps effects that are bypassed while it plays, so that a picture at rest has them, and where it stands', () => {
    const effects = ['exposure', 'transform', 'blur', 'mask', 'contrast'].map((kind, at): Effect => ({
      ...{ id: `e${at}`, kind, enabled: true },
      values: {},
    }));
    const line = timeline([{ ...clip('a', 'wide', 0, 24), effects }]);
    const bypassing = (bypass: Bypassable[]) =>
      previewGraph(line, { ...PLAINEST, bypass }, factsOf, () => undefined);
    const kinds = (bypass: Bypassable[]): string[] => {
      const preview = bypassing(bypass);
      const layer = preview.graph.stretches[0]!.layers[0]!;
      return withoutKinds(layer.effects, preview.bypass).map(({ kind }) => kind);
    };
    expect(kinds([])).toEqual(['exposure', 'transform', 'blur', 'mask', 'contrast']);
    expect(kinds(['colour'])).toEqual(['transform', 'blur', 'mask']);
    expect(kinds([...BYPASSABLE])).toEqual(['transform', 'mask']);
    expect(bypassableIn(line)).toEqual(['colour', 'blur']);
    expect(bypassableIn(timeline([clip('a', 'wide', 0, 24)]))).toEqual([]);
    const off = effects.map((each) => ({ ...each, enabled: each.kind === 'contrast' }));
    expect(bypassableIn(timeline([{ ...clip('a', 'wide', 0, 24), effects: off }]))).toEqual(['colour']);
    expect(bypassing([...BYPASSABLE]).graph).toEqual(exportGraph(line, defaultDelivery(UHD), factsOf).graph);
  });

  it('keeps bypassed effects out of the picture at rest only where the lever says so', () => {
    const blur: Effect = { id: 'e', kind: 'blur', enabled: true, values: {} };
    const line = timeline([{ ...clip('a', 'wide', 0, 24), effects: [blur] }]);
    const seen = (bypassAtRest: boolean | undefined) => {
      const tuning: Tuning = { ...PLAINEST, bypass: ['colour'], bypassedClips: ['a'], bypassAtRest };
      const { rested, live, restBypass, graph } = previewGraph(line, tuning, factsOf, () => undefined);
      const [atRest, playing, exported] = [rested, live, graph].map(
        ({ stretches }) => stretches[0]!.layers[0]!.effects.length,
      );
      return { atRest, playing, exported, restBypass };
    };
    expect(seen(undefined)).toEqual({ atRest: 1, playing: 0, exported: 1, restBypass: [] });
    expect(seen(true)).toEqual({ atRest: 0, playing: 0, exported: 1, restBypass: ['colour'] });
  });
});

describe('sound', () => {
  const placed = [clip('a', 'wide', 0, 24), { ...clip('b', 'wide', 24, 24), fades: { in: 5, out: 12 } }];
  const soundOf = (more: Partial<Track>): readonly SoundPart[] => {
    const line = timeline();
    return renderGraph({ ...line, tracks: [{ ...line.tracks[0]!, clips: placed, ...more }] }, factsOf).sound;
  };

  it('comes and goes in the frames that its clip says', () => {
    expect(soundOf({}).map(({ from, to, fades }) => [from, to, fades.in, fades.out])).toEqual([
      [0, 24, 0, 0],
      [24, 48, 5, 12],
    ]);
  });

  it('backwards begins where the first frame ends in the source', () => {
    const rateOf = (num: number) => rational(num, 24);
    const turned = { ...placed[0]!, sourceIn: rateOf(47), speed: rational(-1) };
    const line = timeline();
    const tracks = [{ ...line.tracks[0]!, clips: [turned] }];
    const { sound } = renderGraph({ ...line, tracks }, factsOf);
    // Frames 47 down to 24 of the source; the first of them ends at 48.
    expect(sound).toMatchObject([{ from: 0, to: 24, sourceIn: rateOf(48), speed: rational(-1) }]);
  });

  it('of two clips that give way to each other is heard together meanwhile', () => {
    const transitions = [{ id: 't', kind: 'crossfade' as const, at: 24, before: 6, after: 4 }];
    const [out, into] = soundOf({ transitions }) as [SoundPart, SoundPart];
    expect([out.from, out.to, out.fades]).toEqual([0, 28, { in: 0, out: 10 }]);
    expect([into.from, into.to, into.fades]).toEqual([18, 48, { in: 10, out: 12 }]);
    // It begins as many frames earlier in its source.
    expect(into.sourceIn).toEqual(rational(18, 24));
  });
});

describe('a piece of a graph', () => {
  const whole = exportGraph(
    timeline([clip('a', 'wide', 0, 240), clip('b', 'small', 240, 240)]),
    defaultDelivery({ width: 1280, height: 720 }),
    factsOf,
  );

  it('shows the same frames of the same sources, from its beginning on', () => {
    const piece = pieceOf(whole.graph, 200, 260);
    expect(piece.length).toBe(60);
    expect(piece.stretches.map(({ from, to }) => [from, to])).toEqual([
      [0, 40],
      [40, 60],
    ]);
    const first = piece.stretches[0]!.layers[0]!;
    expect(layerTime(first, 0, RATE)).toEqual(layerTime(whole.graph.stretches[0]!.layers[0]!, 200, RATE));
  });

  it('stands for the whole: as long as a group of pictures, spread over it', () => {
    const pieces = samplePieces(whole);
    expect(pieces.map(([from, to]) => to - from)).toEqual([48, 48, 48]);
    expect(pieces[0]![0]).toBeGreaterThan(0);
    expect(pieces[2]![1]).toBeLessThan(480);
  });

  it('is not remarked upon when it is smaller than its sources', () => {
    expect(deliveryRemarks(whole, factsOf, 1_000_000)).toEqual([]);
    expect(bytesByRate(whole)).toBeNull();
    expect(
      deliveryRemarks(
        { ...whole, delivery: { ...whole.delivery, size: { width: 7680, height: 4320 } } },
        factsOf,
        null,
      ),
    ).toHaveLength(1);
  });
});

describe('the graph of an export', () => {
  const line = timeline([clip('a', 'wide', 0, 24), clip('b', 'small', 24, 24)]);
  const assets: RenderAssets = {
    factsOf,
    inputOf: (id) => ['-i', `/media/${id}.mp4`],
    tableOf: () => undefined,
    tableFile: (id) => `/tables/${id}.cube`,
    font: () => [],
    drawingFile: (number) => `/drawings/${number}.svg`,
  };
  const command = exportCommand(exportGraph(line, defaultDelivery(UHD), factsOf), assets);

  it('is made from timeline, delivery and facts; there is no other parameter', () => {
    expect(exportGraph).toHaveLength(3);
  });

  it('opens the originals and nothing else', () => {
    const inputs = command.args.filter((_, index) => command.args[index - 1] === '-i');
    expect(inputs).toEqual(['/media/wide.mp4', '/media/small.mp4', '/media/wide.mp4']);
  });

  it('opens an original once for pieces that follow each other in it', () => {
    const base = clip('base', 'wide', 0, 240);
    const above = [clip('first', 'tall', 48, 24), clip('second', 'tall', 100, 20)];
    const { args, filters } = exportCommand(
      exportGraph(timeline([base], above), defaultDelivery(UHD), factsOf),
      assets,
    );
    const inputs = args.filter((_, index) => args[index - 1] === '-i');
    expect(inputs).toEqual(['/media/wide.mp4', '/media/tall.mp4', '/media/wide.mp4']);
    // Five parts of the clip below, each decoded from two seconds before it to two seconds after it.
    expect(filters).toContain('[0:v:0]split=5');
    expect(filters).toContain('trim=start=0:end=4[input0part0]');
    expect(filters).toContain('trim=start=2:end=7[input0part3]');
    expect(args.slice(args.indexOf('-ss'), args.indexOf('-i'))).toEqual(['-ss', '0', '-t', '12']);
  });

  it('puts on each other only what does not fill the frame itself', () => {
    const of = (...tracks: Clip[][]): string =>
      exportCommand(exportGraph(timeline(...tracks), defaultDelivery(UHD), factsOf), assets).filters;
    const uses = (filters: string, filter: string): number => filters.split(filter).length - 1;
    const plain = of([clip('a', 'wide', 0, 24), clip('b', 'small', 24, 24)]);
    expect([uses(plain, 'overlay='), uses(plain, 'color=c=black')]).toEqual([0, 0]);
    const above = of([clip('a', 'wide', 0, 48)], [clip('b', 'tall', 0, 48)]);
    expect([uses(above, 'overlay='), uses(above, 'color=c=black')]).toEqual([1, 0]);
    const alone = of([clip('a', 'tall', 0, 48)]);
    expect([uses(alone, 'overlay='), uses(alone, 'color=c=black')]).toEqual([1, 1]);
  });

  it('counts time in ticks in which file, clip and rate are whole', () => {
    const small = KNOWN['small']!;
    const filters = conformFilters(small, rational(1, 3), RATE, 24);
    const ticks = Number(/settb=1\/(\d+)/.exec(filters)![1]);
    for (const part of [small.picture!.timescale, 25, 3]) expect(ticks % part).toBe(0);
    expect(filters).toContain(`-${ticks / 3}'`);
    expect(filters).toContain('fps=24:round=up');
  });

  it('uses the real time stamps of a source whose rate varies', () => {
    expect(conformFilters(facts(1920, 1080, rational(30), false), ZERO, RATE, 10)).toContain("setpts='PTS'");
  });

  it('cannot be made of nothing', () => {
    const empty = exportGraph({ ...line, tracks: [] }, defaultDelivery(UHD), factsOf);
    expect(() => exportCommand(empty, assets)).toThrow(/nothing on the timeline/);
  });

  it('is looked at on both sides of every cut and at 24 places between', () => {
    const frames = proofFrames(
      renderGraph(timeline([clip('a', 'wide', 0, 300), clip('b', 'small', 300, 300)]), factsOf),
    );
    expect(frames.filter(({ reason }) => reason === 'spread')).toHaveLength(24);
    expect(frames).toContainEqual({ frame: 299, reason: 'before cut' });
    expect(frames).toContainEqual({ frame: 300, reason: 'after cut' });
    expect(frames.map(({ frame }) => frame)).toEqual(frames.map(({ frame }) => frame).sort((a, b) => a - b));
  });
});
