import { describe, expect, it } from 'vitest';
import { PLAINEST } from '../levers/index.js';
import { PacketIndex, PacketIndexBuilder, type PictureFacts, type PictureStructure } from '../media/index.js';
import {
  pictureMsOf,
  busiestMsOf,
  stageMsOf,
  stageWork,
  sumsOf,
  type DecodeSegment,
  evenGroups,
  indexedGroups,
  buildWorkload,
  UNCALIBRATED,
  playedMedium,
  type PlayableSource,
  type PlayedMedium,
  type Work,
  type Workload,
} from './index.js';
import type { Stage } from '../playback/index.js';
import { previewGraph } from '../render/index.js';
import { readySource, sourceFacts } from '../testing/index.js';
import { rational } from '../time/index.js';
import type { Clip, Effect, Timeline } from '../timeline/index.js';
import { memoryShares, SIMULATED_RIGS, usualCeiling, type Rig } from '../machine/index.js';

const laptop = SIMULATED_RIGS[0]!;
const SHARES = memoryShares(usualCeiling(16 * 2 ** 30), 4);

const mediumOf = (picture: Partial<PictureFacts> = {}, index?: PacketIndex): PlayedMedium =>
  playedMedium(readySource('a', sourceFacts(picture)), undefined, '', index)!;

function workOf(
  clip: Partial<Clip>,
  medium: PlayedMedium,
  { scale = 4, fps = 24 }: { scale?: 1 | 2 | 4; fps?: number } = {},
): Work {
  const whole: Clip = {
    ...{ id: 'c', name: 'c', sourceId: 'a', start: 0, length: 48, sourceIn: rational(0), enabled: true },
    ...clip,
  };
  const timeline: Timeline = {
    ...{ rate: rational(fps), startFrame: 0, size: { width: 3840, height: 2160 } },
    tracks: [{ id: 'p', kind: 'picture', name: 'p', enabled: true, clips: [whole] }],
  };
  const tuning = { ...PLAINEST, playScale: scale };
  const preview = previewGraph(
    timeline,
    tuning,
    () => sourceFacts(),
    () => undefined,
  );
  return { preview, media: new Map([['a', medium]]), shares: SHARES, drive: null };
}

/** A file in groups of twelve, shown in the order in which it is decoded. */
function indexOf(frames: number, bytesOf: (frame: number) => number = () => 1000): PacketIndex {
  const builder = new PacketIndexBuilder(24);
  for (let at = 0; at < frames; at++)
    builder.add({ bytes: bytesOf(at), key: at % 12 === 0, pts: at, dts: at });
  return PacketIndex.from(builder.done());
}

describe('what a clip asks of the player', () => {
  it('is one picture a frame at the timeline’s own rate, and the way from the key frame for the first', () => {
    const work = workOf({ sourceIn: rational(5, 24) }, mediumOf({}, indexOf(240)));
    const [passage] = buildWorkload(work, laptop).segments;
    // Frame 5 of a group of twelve: six pictures.
    expect([...passage!.decodes.slice(0, 4)]).toEqual([6, 1, 1, 1]);
    expect([...passage!.entries]).toEqual([7, 19, 31, 43]);
    expect(passage!.coldDecodes[7]).toBe(1);
  });

  it('is 2.5 pictures a frame for 60 on 24, and none where one is shown again', () => {
    const pictures = (rate: number): number[] => {
      const work = workOf({}, mediumOf({ rate: rational(rate) }));
      return [...buildWorkload(work, laptop).segments[0]!.decodes];
    };
    const sum = (list: number[]): number => list.slice(1).reduce((total, each) => total + each, 0);
    expect(sum(pictures(60)) / 47).toBeCloseTo(2.5, 1);
    expect(sum(pictures(12)) / 47).toBeCloseTo(0.5, 1);
    expect(pictures(12)).toContain(0);
  });

  it('is every second picture, drawn once for two frames, where every second frame is played', () => {
    const effects = [{ id: 'b', kind: 'blur', enabled: true, values: { radius: 2 } }];
    const whole = workOf({ effects }, mediumOf());
    const second: Work = { ...whole, preview: { ...whole.preview, hold: 2 } };
    const [all, half] = [buildWorkload(whole, laptop), buildWorkload(second, laptop)];
    expect([...half.segments[0]!.repeats!.slice(0, 5)]).toEqual([0, 1, 0, 1, 0]);
    const sum = (workload: Workload, stage: Stage): number =>
      stageMsOf(workload, stage).reduce((total, each) => total + each, 0);
    for (const stage of ['scale', 'effects', 'show'] as const)
      expect(sum(half, stage) / sum(all, stage)).toBeCloseTo(0.5, 2);
    // A cut is drawn wherever it falls.
    const { stretches } = second.preview.played;
    const cut = {
      ...second.preview.played,
      stretches: [
        { ...stretches[0]!, to: 5 },
        { ...stretches[0]!, from: 5 },
      ],
    };
    const drawn = buildWorkload({ ...second, preview: { ...second.preview, played: cut } }, laptop);
    expect([...drawn.isStanding!.slice(3, 8)]).toEqual([1, 0, 0, 0, 1]);
  });

  it('is less where pictures that no other refers to are not shown', () => {
    // I B B P …, 60 a second.
    const builder = new PacketIndexBuilder(60);
    const order = [0, ...Array.from({ length: 100 }, (_, at) => [3, 1, 2].map((pts) => pts + 3 * at)).flat()];
    order.forEach((pts, dts) => builder.add({ bytes: 1000, key: pts === 0, pts, dts: dts - 2 }));
    const index = PacketIndex.from(builder.done());
    const rule = { unreferenced: 'reordered' } as PictureStructure;
    const source = { ...readySource('a', sourceFacts({ rate: rational(60) })), structure: rule };
    const of = (more: Partial<PlayableSource>, clip: Partial<Clip> = {}): DecodeSegment => {
      const medium = playedMedium({ ...source, ...more }, undefined, '', index)!;
      return buildWorkload(workOf(clip, medium), laptop).segments[0]!;
    };
    const sum = (list: Uint16Array): number => list.slice(1).reduce((total, each) => total + each, 0);
    const [all, some] = [of({ structure: null }), of({})];
    expect(sum(all.decodes) / 47).toBeCloseTo(2.5, 1);
    // One of three is referred to, up to the one behind the last frame; of those that are not, what is shown is decoded.
    const shownFree = [...some.unreferenced!].slice(1).filter(Boolean).length;
    expect(sum(some.decodes)).toBe(Math.ceil(Math.round((47 * 60) / 24) / 3) + shownFree);
    expect(some.bits!.reduce((total, each) => total + each, 0)).toBeCloseTo(
      some.decodes.reduce((total, each) => total + each, 0),
    );
    // A cut goes by the pictures that are referred to: frame 120 of the file is one of 41.
    expect(of({ structure: null }, { sourceIn: rational(2) }).coldDecodes[0]).toBe(119);
    expect(of({}, { sourceIn: rational(2) }).coldDecodes[0]).toBe(41);
    // Where the rate varies, or backwards, none is left out.
    const varying = sourceFacts({ rate: rational(60), constantRate: false });
    expect(of({ facts: varying }).unreferenced).toBeUndefined();
    expect(of({}, { sourceIn: rational(2), speed: rational(-1) }).unreferenced).toBeUndefined();
  });

  it('is one picture a frame of a light copy, whatever the rate', () => {
    const copy = { width: 960, height: 540, alphaRow: null, bytes: 24_000_000 };
    const source = readySource('a', sourceFacts({ rate: rational(60) }));
    const [passage] = buildWorkload(workOf({}, playedMedium(source, copy, '')!), laptop).segments;
    expect(Math.max(...passage!.decodes)).toBe(1);
    expect(passage!.unreferenced![7]).toBe(1);
  });

  it('takes as long as the bits of its pictures say, as far as they matter', () => {
    // The second half of the file has three times the bits of the first.
    const index = indexOf(240, (frame) => (frame < 120 ? 500 : 1500));
    const decoders = laptop.decoders.map((each) => ({ ...each, bitShare: 0.8 }));
    const at = (seconds: number): DecodeSegment =>
      buildWorkload(workOf({ sourceIn: rational(seconds) }, mediumOf({}, index)), { ...laptop, decoders })
        .segments[0]!;
    const [light, heavy] = [at(1), at(6)];
    expect(heavy.decodeMs).toBe(light.decodeMs);
    const ms = (passage: DecodeSegment, stage: Stage): number =>
      stageWork(passage, stage, 20) * pictureMsOf({ drives: [] }, passage, 'decode');
    expect(ms(light, 'decode') / light.decodeMs).toBeCloseTo(1 - 0.8 / 2);
    expect(ms(heavy, 'decode') / light.decodeMs).toBeCloseTo(1 + 0.8 / 2);
    expect(stageWork(heavy, 'read', 20) / stageWork(light, 'read', 20)).toBeCloseTo(3);
    // From a cold start, all pictures from the key frame on.
    expect(heavy.coldBits![5]).toBeCloseTo(1.5 * heavy.coldDecodes[5]!);
    expect(heavy.bits!.reduce((sum, each) => sum + each, 0)).toBeCloseTo(48 * 1.5);
    // Backwards, and without an index, all are taken to be alike.
    const backwards = workOf({ sourceIn: rational(9), speed: rational(-1) }, mediumOf({}, index));
    expect(buildWorkload(backwards, laptop).segments[0]!.bits).toBeUndefined();
    expect(buildWorkload(workOf({}, mediumOf()), laptop).segments[0]!.bits).toBeUndefined();
  });

  it('is decoded in runs backwards, as long as there is room for two of them', () => {
    const backwards = (scale: 1 | 4): Work =>
      workOf({ sourceIn: rational(9), speed: rational(-1) }, mediumOf({}, indexOf(240)), { scale });
    // 256 MiB hold 24 small pictures, the most there are, and 21 of 3840 x 2160 in 4:2:0 and 8 bits.
    for (const [scale, turned] of [
      [4, 12],
      [1, 10],
    ] as const) {
      const work = { ...backwards(scale), shares: { ...SHARES, framePoolBytes: 256 * 2 ** 20 } };
      const segment = buildWorkload(work, laptop).segments[0]!;
      expect(segment.turned).toBe(turned);
      const begins = [...segment.decodes].flatMap((pictures, at) => (pictures > 0 ? [at] : []));
      expect(begins).toEqual(Array.from({ length: Math.ceil(48 / turned) }, (_, run) => run * turned));
    }
  });

  it('is twice as much at twice the speed', () => {
    const work = workOf({ speed: rational(2) }, mediumOf());
    expect(buildWorkload(work, laptop).segments[0]!.decodes[10]).toBe(2);
  });

  it('waits for the next picture where the rate varies', () => {
    const steady = buildWorkload(workOf({}, mediumOf()), laptop).segments[0]!;
    const varying = buildWorkload(workOf({}, mediumOf({ constantRate: false })), laptop).segments[0]!;
    expect(varying.decodes[0]).toBe(steady.decodes[0]! + 1);
  });

  it('falls with the pixels of the preview where pixels are worked on, and not where they are decoded', () => {
    const effects: Effect[] = [{ id: 'b', kind: 'blur', enabled: true, values: { radius: 1 } }];
    const [full, quarter] = ([1, 4] as const).map((scale) =>
      buildWorkload(workOf({ effects }, mediumOf(), { scale }), laptop),
    );
    expect(full!.segments[0]!.decodeMs).toBe(quarter!.segments[0]!.decodeMs);
    expect(full!.segments[0]!.effectsMs / quarter!.segments[0]!.effectsMs).toBeCloseTo(16, 5);
    expect(full!.showMs).toBeGreaterThan(8 * quarter!.showMs);
  });

  it('is corrected by what runs have taught', () => {
    const plain = buildWorkload(workOf({}, mediumOf()), laptop);
    const calibration = { ...UNCALIBRATED, decode: { log: Math.log(1.5), variance: 0.01 } };
    const taught = buildWorkload(workOf({}, mediumOf()), laptop, calibration);
    expect(taught.segments[0]!.decodeMs / plain.segments[0]!.decodeMs).toBeCloseTo(1.5);
  });

  it('names what a rig was not measured for, and estimates it', () => {
    const bare: Rig = { ...laptop, decoders: [], shows: [] };
    const line = buildWorkload(workOf({}, mediumOf()), bare);
    expect(line.unmeasured).toEqual(['decoding h264', 'showing']);
    expect(line.segments[0]!.decodeMs).toBeGreaterThan(1);
    expect(line.showMs).toBeGreaterThan(0);
  });

  it('adds up to loads of the frame budget, stage by stage', () => {
    const line = buildWorkload(workOf({}, mediumOf()), laptop);
    const decode = stageMsOf(line, 'decode');
    expect(decode[20]).toBeCloseTo(line.segments[0]!.decodeMs);
    expect(stageMsOf(line, 'read')[20]).toBeCloseTo((1000 * line.segments[0]!.bytesPerPicture) / 85e6, 5);
    expect(stageMsOf(line, 'show')[3]).toBe(Math.fround(line.showMs));
    // The sum of a stretch is that of its frames.
    const [sum] = sumsOf(line, 'decode', 10, 20);
    expect(sum).toMatchObject({ sourceId: 'a', decoded: 10, made: 10 });
    expect(sum!.ms).toBeCloseTo(
      decode.slice(10, 20).reduce((total, each) => total + each, 0),
      3,
    );
    expect(sumsOf(line, 'effects', 0, 48)).toEqual([]);
  });

  it('counts the busiest of decoders that work side by side, and all work of a shared stage', () => {
    const line = buildWorkload(workOf({}, mediumOf()), laptop);
    const [first] = line.segments;
    const layered = {
      ...line,
      segments: [first!, { ...first!, clipId: 'above', decodeMs: 3 * first!.decodeMs }],
    };
    expect(busiestMsOf(layered, 'decode')[20]).toBeCloseTo(3 * first!.decodeMs, 4);
    expect(busiestMsOf(layered, 'scale')[20]).toBeCloseTo(2 * first!.scaleMs, 4);
  });

  it('leaves effects to the graphics processor where that composes, and to the decoders where it cannot', () => {
    const effect = (kind: string, values: Effect['values'] = {}): Effect => ({
      ...{ id: kind, kind, enabled: true, values },
    });
    const [blur, turned] = [effect('blur', { radius: 2 }), effect('transform', { rotation: 20 })];
    const figure = laptop.kernels[0]!.msPerMegapixel;
    const on = (kernel: string, stage: 'compose' | 'effects', value: number): Rig['kernels'][number] => ({
      ...{ kernel, stage, on: 'graphics processor', of: 'result', msPerMegapixel: { ...figure, value } },
    });
    const gpu: Rig = {
      ...laptop,
      kernels: [...laptop.kernels, on('compose two', 'compose', 4), on('blur', 'effects', 7)],
    };
    const played = (
      rig: Rig,
      composeOn: 'graphics processor' | undefined,
      ...effects: Effect[]
    ): Workload => {
      const work = workOf({ effects }, mediumOf());
      return buildWorkload({ ...work, preview: { ...work.preview, composeOn } }, rig);
    };
    const composed = played(gpu, 'graphics processor', blur);
    // 960 x 540 are 0.5184 megapixels: half of two pictures, and the blur of one.
    expect(composed.composeMs[9]).toBeCloseTo(0.5184 * (4 / 2 + 7), 4);
    expect(composed.segments[0]!.effectsMs).toBe(0);
    const plain = played(gpu, undefined, blur);
    expect(plain.composeMs[9]).toBe(0);
    expect(plain.segments[0]!.effectsMs).toBeGreaterThan(0);
    // A blur of what was turned stands between two stages.
    const between = played(gpu, 'graphics processor', turned, blur);
    expect(between.segments[0]!.effectsMs).toBeGreaterThan(plain.segments[0]!.effectsMs);
    expect(between.composeMs[9]).toBeCloseTo(0.5184 * 2, 4);
    // What was not measured is estimated, and named.
    const unmeasured = buildWorkload(
      {
        ...workOf({ effects: [blur] }, mediumOf()),
        preview: { ...workOf({ effects: [blur] }, mediumOf()).preview, composeOn: 'graphics processor' },
      },
      {
        ...gpu,
        kernels: gpu.kernels.filter(({ kernel, on: by }) => kernel !== 'blur' || by === 'processor'),
      },
    );
    expect(unmeasured.unmeasured).toContain('the effect blur');
    expect(unmeasured.unmeasured).not.toContain('composing');
    const bare = workOf({}, mediumOf());
    const onNone = buildWorkload(
      { ...bare, preview: { ...bare.preview, composeOn: 'graphics processor' } },
      { ...laptop, graphics: { ...laptop.graphics, renderer: 'Some GPU' } },
    );
    expect(onNone.unmeasured).toContain('composing');
    expect(unmeasured.composeMs[9]).toBeGreaterThan(0.5184 * 2);
  });

  it('can begin anew at every frame with the server’s decoder', () => {
    const served = mediumOf({ codec: 'mpeg2video' });
    expect(served.decoder).toBe('server');
    const [passage] = buildWorkload(workOf({}, served), laptop).segments;
    expect([...passage!.entries]).toEqual(Array.from({ length: 48 }, (_, frame) => frame));
    // How long ffmpeg takes to start was measured, or else is taken to be a usual time.
    const start = { ...laptop.decoders[0]!.msPerFrame!, value: 333 };
    const decoders = laptop.decoders.map((each) =>
      each.decoder === 'server' ? { ...each, startMs: start } : each,
    );
    const timed = buildWorkload(workOf({}, served), { ...laptop, decoders }).segments[0]!;
    expect([timed.firstMs, timed.restartMs]).toEqual([333, 333]);
    expect(passage!.firstMs).toBeGreaterThan(100);
    expect(timed.openMs).toBeLessThan(50);
  });

  it('takes longer for the first picture, by as many as were measured of a decoder like it', () => {
    const work = workOf({}, { ...mediumOf(), groups: evenGroups(24) });
    const usual = buildWorkload(work, laptop).segments[0]!;
    expect(usual.firstMs / usual.decodeMs).toBeCloseTo(4);
    const decoders = laptop.decoders.map((each) =>
      each.decoder === 'browser' && each.msPerFrame
        ? { ...each, startMs: { ...each.msPerFrame, value: 7 * each.msPerFrame.value } }
        : each,
    );
    const timed = buildWorkload(work, { ...laptop, decoders }).segments[0]!;
    expect(timed.firstMs / timed.decodeMs).toBeCloseTo(6);
    // Called away while it is busy, it takes longer still, where that was measured.
    expect(timed.restartMs).toBe(timed.firstMs);
    const called = decoders.map((each) =>
      each.startMs ? { ...each, restartMs: { ...each.startMs, value: 2 * each.startMs.value } } : each,
    );
    const busy = buildWorkload(work, { ...laptop, decoders: called }).segments[0]!;
    expect(busy.restartMs / busy.decodeMs).toBeCloseTo(13);
    expect(busy.firstMs).toBe(timed.firstMs);
    // Of two of one size, the one that decodes as many bits.
    const dense = decoders.map((each) => ({ ...each, bitsPerFrame: 8 * each.bitsPerFrame }));
    const later = dense.map((each) =>
      each.startMs ? { ...each, startMs: { ...each.startMs, value: 3 * each.startMs.value } } : each,
    );
    const both = buildWorkload(work, { ...laptop, decoders: [...later, ...decoders] }).segments[0]!;
    expect(both.firstMs / both.decodeMs).toBeCloseTo(6, 0);
  });
});

describe('groups of pictures', () => {
  it('of even length and as an index says are entered at the same places', () => {
    const [even, indexed] = [evenGroups(12), indexedGroups(indexOf(48))];
    for (const groups of [even, indexed]) {
      expect(groups.entries(5, 40)).toEqual([12, 24, 36]);
      expect(groups.distance(0)).toBe(1);
      expect(groups.distance(23)).toBe(12);
    }
  });
});

describe('what is decoded of a source', () => {
  it('is the copy where one is played, every picture on its own', () => {
    const source = readySource('a', sourceFacts());
    const copy = { width: 960, height: 540, alphaRow: null, bytes: 24_000_000 };
    const medium = playedMedium(source, copy, '/copies')!;
    expect(medium).toMatchObject({
      choice: 'light copy',
      profile: 'intra',
      drive: '/copies',
      bitsPerFrame: 800_000,
    });
    expect(medium.groups.distance(77)).toBe(1);
    expect(playedMedium(readySource('s', sourceFacts(null)), undefined, '')).toBeUndefined();
  });
});
