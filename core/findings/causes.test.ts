import { describe, expect, it } from 'vitest';
import { PLAINEST, type Tuning } from '../levers/index.js';
import type { PictureFacts, PictureStructure } from '../media/index.js';
import { FrameLog, pacingSummary, type RunFacts } from '../playback/index.js';
import {
  driveFigures,
  memoryShares,
  NOTHING_LEARNED,
  predicted,
  SIMULATED_DRIVES,
  SIMULATED_RIGS,
  usualCeiling,
  type KnownCopy,
  type KnownSource,
  type Rig,
  type Situation,
} from '../rig/index.js';
import { readySource, sourceFacts } from '../testing/index.js';
import { rational } from '../time/index.js';
import type { Clip, Effect, Timeline, Track } from '../timeline/index.js';
import { causesOf, offersOf, shownSharpness, type Cause, type CauseKind, type Scene } from './index.js';

const UHD = { width: 3840, height: 2160 };
const GIB = 2 ** 30;

/* What is not said in a case below is made up for it. */

const structure = (gop: number, bitsPerFrame: number): PictureStructure =>
  ({ gopFrames: { shortest: gop, median: gop, longest: gop }, bitsPerFrame }) as PictureStructure;

function source(
  id: string,
  { gop = 1, megabits = 2.5, ...picture }: Partial<PictureFacts> & { gop?: number; megabits?: number } = {},
): KnownSource {
  return readySource(id, sourceFacts({ frameCount: 4000, ...picture }), {
    structure: structure(gop, megabits * 1e6),
    drive: 'media',
  });
}

const halfCopy = (sourceId: string, bytesPerFrame: number): KnownCopy => ({
  id: `copy-${sourceId}`,
  sourceId,
  state: 'ready',
  width: 1920,
  height: 1080,
  bytes: 4000 * bytesPerFrame,
});

/** A machine that nothing but what a case names holds back. */
function strongRig(change: Partial<Rig> = {}, driveBytesPerSecond = 3e9, msPerFrame = 2): Rig {
  const base = SIMULATED_RIGS.find(({ id }) => id === 'simulated-tower')!;
  const drive = driveFigures({
    ...SIMULATED_DRIVES.at(-1)!,
    name: 'media',
    readBytesPerSecond: driveBytesPerSecond,
  });
  const figure = {
    value: msPerFrame,
    low: msPerFrame,
    high: msPerFrame,
    times: 1,
    method: '',
    measuredAt: '',
    disturbed: false,
  };
  const decoder = (codec: string): Rig['decoders'][number] => ({
    ...{ decoder: 'browser', codec, profile: '', chroma: '4:2:0', bitDepth: 8, ...UHD, bitsPerFrame: 2.5e6 },
    ...{ acceleration: 'software', msPerFrame: figure, together: [], problem: null },
  });
  return {
    ...base,
    drives: [drive],
    decoders: [decoder('h264'), decoder('prores')],
    graphics: { ...base.graphics, software: false, stronger: null },
    ...change,
  };
}

const withCores = (rig: Rig, cores: number): Rig => ({ ...rig, machine: { ...rig.machine, cores } });

const clipOf = (
  id: string,
  sourceId: string,
  start: number,
  length: number,
  more: Partial<Clip> = {},
): Clip => ({
  ...{ id, name: id, sourceId, start, length, sourceIn: rational(0), enabled: true },
  ...more,
});

const trackOf = (id: string, clips: Clip[], more: Partial<Track> = {}): Track => ({
  ...{ id, kind: 'picture', name: id, enabled: true, clips },
  ...more,
});

const timelineOf = (tracks: Track[]): Timeline => ({ rate: rational(24), startFrame: 0, size: UHD, tracks });

function situationOf(
  timeline: Timeline,
  sources: readonly KnownSource[],
  rig: Rig,
  tuning: Partial<Tuning> = {},
  copies: readonly KnownCopy[] = [],
): Situation {
  return {
    ...{ timeline, sources, copies, rig, tuning: { ...PLAINEST, playScale: 4, ...tuning } },
    shares: memoryShares(usualCeiling(32 * GIB), rig.machine.cores),
    ...{ drive: null, calibration: NOTHING_LEARNED },
  };
}

const sceneOf = (situation: Situation, more: Partial<Scene> = {}): Scene => ({
  situation,
  prediction: predicted(situation),
  ...{ measured: null, scrub: null, planned: null },
  ...more,
});

const kindsOf = (scene: Scene): CauseKind[] => causesOf(scene).map(({ kind }) => kind);
const find = (scene: Scene, kind: CauseKind): Cause | undefined =>
  causesOf(scene).find((each) => each.kind === kind);

const FRAMES = 240;
const alone = (sourceId: string, more: Partial<Clip> = {}): Timeline =>
  timelineOf([trackOf('p', [clipOf('c', sourceId, 0, FRAMES, more)])]);

/** A run that went well, or of which some frames are late or missing. */
function runOf(fate: (frame: number) => { late?: number; decodeMs?: number; dropped?: boolean }): {
  log: FrameLog;
  summary: ReturnType<typeof pacingSummary>;
  facts: RunFacts;
} {
  const log = FrameLog.empty(0, FRAMES);
  for (let frame = 0; frame < FRAMES; frame++) {
    const { late = 0, decodeMs = 10, dropped = false } = fate(frame);
    log.set(frame, 'due', 100 + (frame * 1000) / 24);
    if (!dropped) log.set(frame, 'shown', 100 + late + (frame * 1000) / 24);
    log.set(frame, 'decode', decodeMs);
    log.set(frame, 'decoded', 1);
    log.set(frame, 'settled', 1);
  }
  const facts = { sound: { mixMs: 10, gapSamples: 0 } } as RunFacts;
  return { log, summary: pacingSummary(log, rational(24)), facts };
}

describe('causes of choppy playback, in cases of common practice', () => {
  it('1: a source near 1,000 MB/s on an array that sustains 550; its half-size copies play at the full 24', () => {
    // 41.5 MB a frame and 24 of them a second are 996 MB/s.
    const heavy = source('raw', { codec: 'prores', megabits: 332 });
    const situation = situationOf(alone('raw'), [heavy], strongRig({}, 550e6));
    const scene = sceneOf(situation);
    expect(kindsOf(scene)[0]).toBe('drive');
    const cause = find(scene, 'drive')!;
    expect(cause.stage).toBe('read');
    expect(cause.names).toEqual(['media']);
    expect(cause.numbers['bytesPerSecond']! / 996e6).toBeCloseTo(1, 1);
    expect(cause.predictedDrops).toBeGreaterThan(60);
    const light = situationOf(alone('raw'), [heavy], strongRig({}, 550e6), { lightCopies: true }, [
      halfCopy('raw', 10.4e6),
    ]);
    expect(predicted(light).summary.framesPerSecondShown).toBe(24);
  });

  it('1: also where the drive is nearly full, though it keeps up', () => {
    const rig = strongRig();
    const full = { ...rig, drives: [{ ...rig.drives[0]!, freeBytes: 0.03 * rig.drives[0]!.bytes }] };
    const cause = find(sceneOf(situationOf(alone('a'), [source('a')], full)), 'drive')!;
    expect(cause.numbers['freePercent']).toBeCloseTo(3);
  });

  it('3: long groups at cuts and crossfades on six cores that idle at 30 %; intra copies play', () => {
    const long = source('long', { gop: 250, megabits: 6 });
    const rig = withCores(strongRig({}, 3e9, 26), 6);
    const cuts = Array.from({ length: 8 }, (_, at) =>
      clipOf(`c${at}`, 'long', 60 * at, 60, { sourceIn: rational(7 + 21 * at) }),
    );
    const transitions = cuts
      .slice(1)
      .map(({ start }) => ({ id: `t${start}`, kind: 'crossfade' as const, at: start, before: 6, after: 6 }));
    const timeline = timelineOf([trackOf('p', cuts, { transitions })]);
    const scene = sceneOf(situationOf(timeline, [long], rig));
    expect(causesOf(scene)[0]).toMatchObject({ kind: 'serial decoding', stage: 'decode' });
    expect(scene.prediction.coreUse).toBeGreaterThan(0.15);
    expect(scene.prediction.coreUse).toBeLessThan(0.5);
    const copies = [halfCopy('long', 5e5)];
    const light = situationOf(timeline, [long], rig, { lightCopies: true }, copies);
    expect(predicted(light).summary.dropped).toBeLessThan(5);
  });

  it('2: decoding that all cores together cannot do', () => {
    const rig = withCores(strongRig({}, 3e9, 30), 2);
    const timeline = timelineOf([
      trackOf('low', [clipOf('a', 'a', 0, FRAMES)]),
      trackOf('high', [clipOf('b', 'b', 0, FRAMES, { effects: [seeThrough] })]),
    ]);
    const scene = sceneOf(situationOf(timeline, [source('a'), source('b')], rig));
    expect(causesOf(scene)[0]).toMatchObject({ kind: 'cores', stage: 'decode' });
    expect(scene.prediction.coreUse).toBeGreaterThan(0.85);
  });

  const seeThrough: Effect = { id: 'e', kind: 'transform', enabled: true, values: { opacity: 50 } };

  it('6: seven stacked takes with one seen: seven times the decoding elsewhere, once here', () => {
    const tracks = Array.from({ length: 7 }, (_, at) =>
      trackOf(`t${at}`, [clipOf(`c${at}`, 'a', 0, FRAMES)]),
    );
    const scene = sceneOf(situationOf(timelineOf(tracks), [source('a')], strongRig()));
    const cause = find(scene, 'unseen clips')!;
    expect(cause.numbers).toMatchObject({ clips: 6, most: 7 });
    expect(scene.prediction.line.passages).toHaveLength(1);
    expect(scene.prediction.summary.dropped).toBe(0);
  });

  it('4: 60 on 24: 2.5 decoded for each shown', () => {
    const fast = source('fast', { rate: rational(60) });
    const scene = sceneOf(situationOf(alone('fast'), [fast], withCores(strongRig({}, 3e9, 21), 8)));
    const cause = causesOf(scene)[0]!;
    expect(cause).toMatchObject({ kind: 'thrown away', stage: 'decode', names: ['fast'] });
    expect(cause.numbers['decodedPerShown']).toBeCloseTo(2.5, 1);
    // A source of the timeline's own rate that is busy as well has no part in it.
    const mixed = timelineOf([trackOf('p', [clipOf('a', 'slow', 0, 120), clipOf('b', 'fast', 120, 120)])]);
    const slow = source('slow');
    const both = sceneOf(situationOf(mixed, [slow, fast], withCores(strongRig({}, 3e9, 21), 8)));
    expect(find(both, 'thrown away')!.names).toEqual(['fast']);
    // Where it plays all the same, it is still worth a word.
    const easy = sceneOf(situationOf(alone('fast'), [fast], strongRig()));
    expect(kindsOf(easy)[0]).toBe('plays');
    expect(find(easy, 'thrown away')!.numbers['decodedPerShown']).toBe(2.5);
  });

  it('bound by decoding at 1:4: a lower preview scale does not help; bound by effects at 1:1: it is the first that does', () => {
    const slow = situationOf(alone('a'), [source('a', { gop: 48 })], withCores(strongRig({}, 3e9, 60), 8));
    const decode = offersOf(slow, predicted(slow));
    const scale = decode.find(({ move }) => move.lever === 'preview scale')!;
    expect(scale.helps).toBe(false);
    expect(scale.loadPercent).toMatchObject({ stage: 'decode' });
    expect(scale.loadPercent.after).toBeCloseTo(scale.loadPercent.before);
    expect(decode[0]).toMatchObject({ move: { lever: 'make copies' }, helps: true, isRealTime: true });

    const effects: Effect[] = [{ id: 'b', kind: 'blur', enabled: true, values: { radius: 2 } }];
    const heavy = situationOf(alone('a', { effects }), [source('a')], strongRig(), { playScale: 1 });
    const now = predicted(heavy);
    expect(causesOf(sceneOf(heavy))[0]).toMatchObject({ kind: 'effects', names: ['blur'] });
    expect(offersOf(heavy, now)[0]).toMatchObject({
      move: { lever: 'preview scale', playScale: 2 },
      helps: true,
    });
  });

  it('5: a source far larger than the working size', () => {
    const small = { ...alone('a'), size: { width: 1280, height: 720 } };
    const scene = sceneOf(situationOf(small, [source('a')], withCores(strongRig({}, 3e9, 60), 8)));
    expect(causesOf(scene)[0]).toMatchObject({ kind: 'oversized source', names: ['a'] });
  });

  it('9 and 8: showing, and scaling, that exceed the frame budget', () => {
    const rig = strongRig();
    const figure = rig.shows[0]!.ms;
    const slowScreen = { ...rig, shows: [{ ...UHD, ms: { ...figure, value: 90 } }] };
    expect(kindsOf(sceneOf(situationOf(alone('a'), [source('a')], slowScreen, { playScale: 1 })))[0]).toBe(
      'showing',
    );
    const kernels = rig.kernels.map((each) => ({ ...each, msPerMegapixel: { ...figure, value: 30 } }));
    const workers = situationOf(alone('a'), [source('a')], { ...rig, kernels });
    const shares = { ...workers.shares, decodeWorkers: 1 };
    expect(kindsOf(sceneOf({ ...workers, shares }))[0]).toBe('scaling or composing');
  });

  it('18: sound keeps time and the picture lags; 17: smooth, but soft, with the true pixel count', () => {
    const situation = situationOf(alone('a'), [source('a')], strongRig());
    const late = find(sceneOf(situation, { measured: runOf(() => ({ late: 35 })) }), 'picture behind sound')!;
    expect(late.numbers['latenessMs']).toBeCloseTo(35, 0);
    const copies = [{ ...halfCopy('a', 2e5), width: 480, height: 270 }];
    const soft = situationOf(alone('a'), [source('a')], strongRig(), { lightCopies: true }, copies);
    // A copy of 480 × 270 shown at 960 × 540 has no more than its own pixels.
    expect(shownSharpness(predicted(soft))).toMatchObject({
      pixels: 480 * 270,
      of: 3840 * 2160,
      fromCopies: true,
    });
    expect(find(sceneOf(soft), 'soft picture')!.numbers).toMatchObject({ pixels: 480 * 270 });
    const whole = situationOf(alone('a'), [source('a')], strongRig(), { playScale: 1 });
    expect(find(sceneOf(whole), 'soft picture')).toBeUndefined();
  });

  it('10, 11, 20: hardware that is not used, the weaker graphics processor, other programs', () => {
    const rig = strongRig();
    const busy: Rig = {
      ...rig,
      machine: { ...rig.machine, loadByOthers: 0.4 },
      graphics: { ...rig.graphics, stronger: 'separate graphics processor' },
      hardwarePaths: [{ use: 'decode', name: 'vaapi', codec: 'h264', works: true, reason: '' }],
    };
    const kinds = kindsOf(sceneOf(situationOf(alone('a'), [source('a')], busy)));
    expect(kinds).toEqual(expect.arrayContaining(['hardware decoding', 'weaker graphics', 'other programs']));
    const inHardware = {
      ...busy,
      decoders: busy.decoders.map((each) => ({ ...each, acceleration: 'hardware' as const })),
    };
    expect(kindsOf(sceneOf(situationOf(alone('a'), [source('a')], inHardware)))).not.toContain(
      'hardware decoding',
    );
  });

  it('12: copies on a slower drive than the media; 13: a copy that cannot be used', () => {
    const rig = strongRig();
    const slow = driveFigures({ ...SIMULATED_DRIVES[0]!, name: 'copies' });
    const drives = [
      { ...rig.drives[0]!, holds: ['media'] },
      { ...slow, holds: ['light copies'] },
    ];
    const timeline = timelineOf([trackOf('p', [clipOf('a', 'a', 0, 100), clipOf('b', 'b', 100, 100)])]);
    const sources = [source('a'), source('b')];
    const copies: KnownCopy[] = [halfCopy('a', 3e5), { ...halfCopy('b', 3e5), state: 'stale' }];
    const scene = sceneOf(situationOf(timeline, sources, { ...rig, drives }, { lightCopies: true }, copies));
    expect(find(scene, 'drive of copies')!.names).toEqual(['copies', 'media']);
    expect(find(scene, 'copy not usable')).toMatchObject({ numbers: { copies: 1 }, names: ['stale'] });
  });

  it('14, 15, 16, 19: little memory, a slow start, late scrubbing, too little space', () => {
    const situation = situationOf(alone('a'), [source('a')], strongRig());
    const small = { ...situation, shares: { ...situation.shares, readAheadBytes: 1e6 } };
    expect(find(sceneOf(small), 'memory')!.numbers['aheadSeconds']).toBeLessThan(0.5);
    const run = runOf(() => ({}));
    const slow = { ...run, summary: { ...run.summary, firstFrameMs: 2400 } };
    const scrub = {
      tuning: situation.tuning,
      subjectId: null,
      pictures: 20,
      medianMs: 420,
      worstTwentiethMs: 900,
    };
    const scene = sceneOf(situation, { measured: slow, scrub, planned: { bytes: 4e11, freeBytes: 2e10 } });
    expect(find(scene, 'slow start')!.numbers).toEqual({ firstFrameMs: 2400 });
    expect(find(scene, 'slow scrubbing')!.numbers).toEqual({ medianMs: 420, worstMs: 900 });
    expect(find(scene, 'space')!.numbers).toEqual({ plannedBytes: 4e11, freeBytes: 2e10 });
  });

  it('21, 22: the same frames cost more at the end than at the beginning; sound that is not ready', () => {
    const situation = situationOf(alone('a'), [source('a')], strongRig());
    const hot = runOf((frame) => ({ decodeMs: frame < 80 ? 10 : frame < 160 ? 13 : 18 }));
    expect(find(sceneOf(situation, { measured: hot }), 'slowing down')!.numbers['times']).toBeCloseTo(1.8);
    const even = runOf((frame) => ({ decodeMs: 10 + (frame % 7) }));
    expect(find(sceneOf(situation, { measured: even }), 'slowing down')).toBeUndefined();
    const silent = { ...even, facts: { sound: { mixMs: 10, gapSamples: 4800 } } as RunFacts };
    expect(find(sceneOf(situation, { measured: silent }), 'sound')!.numbers['gapMs']).toBe(100);
  });

  it('nothing wrong is a finding too, with its headroom', () => {
    const [first] = causesOf(sceneOf(situationOf(alone('a'), [source('a')], strongRig())));
    expect(first!.kind).toBe('plays');
    expect(first!.numbers['usePercent']).toBeGreaterThan(0);
    expect(first!.numbers['usePercent']).toBeLessThan(60);
  });

  it('are ranked by what the run dropped, where there was one', () => {
    const situation = situationOf(
      alone('a'),
      [source('a', { gop: 48 })],
      withCores(strongRig({}, 3e9, 60), 8),
    );
    const measured = runOf((frame) => ({ dropped: frame > 200 }));
    const [first] = causesOf(sceneOf(situation, { measured }));
    expect(first!.measuredDrops).toBe(39);
    expect(first!.stage).toBe('decode');
  });
});
