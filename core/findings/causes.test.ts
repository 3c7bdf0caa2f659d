import { describe, expect, it } from 'vitest';
import { FrameLog, pacingSummary, type RunFacts } from '../playback/index.js';
import { predict, SIMULATED_DRIVES, driveFigures, type KnownCopy, type Rig } from '../rig/index.js';
import { rational } from '../time/index.js';
import { type Effect } from '../timeline/index.js';
import { causesOf, shownSharpness } from './index.js';
import {
  FRAMES,
  UHD,
  alone,
  clipOf,
  find,
  halfCopy,
  kindsOf,
  runOf,
  sceneOf,
  situationOf,
  source,
  strongRig,
  timelineOf,
  trackOf,
  withCores,
} from '../testing/scenes.js';

/* What is not said in a case below is made up for it. */

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
    expect(predict(light).summary.framesPerSecondShown).toBe(24);
  });

  it('1: also where the drive is nearly full, though it keeps up', () => {
    const rig = strongRig();
    const full = { ...rig, drives: [{ ...rig.drives[0]!, freeBytes: 0.03 * rig.drives[0]!.bytes }] };
    const cause = find(sceneOf(situationOf(alone('a'), [source('a')], full)), 'drive')!;
    expect(cause.numbers['freePercent']).toBeCloseTo(3);
  });

  it('3: long groups at cuts and crossfades on six cores that idle at 30 %; intra copies play', () => {
    const long = source('long', { gop: 250, megabits: 6 });
    const rig = withCores(strongRig({}, 3e9, 23), 6);
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
    expect(scene.prediction.coreUse).toBeLessThan(0.45);
    // A lossless copy costs its decoder more, but its pictures stand alone, so that all cores work at them.
    const lossless = { ...halfCopy('long', 9e6), width: 3840, height: 2160 };
    const light = predict(situationOf(timeline, [long], rig, { lightCopies: true }, [lossless]));
    expect(light.summary.dropped).toBe(0);
    expect(light.coreUse).toBeGreaterThan(0.6);
    expect(light.coreUse).toBeLessThan(0.8);
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
    expect(scene.prediction.workload.segments).toHaveLength(1);
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
    expect(shownSharpness(predict(soft))).toMatchObject({
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
    const scene = sceneOf(situationOf(alone('a'), [source('a')], busy));
    const run = runOf(() => ({}));
    const disturbed = { ...scene, measured: { ...run, facts: { ...run.facts, othersShare: 0.3 } } };
    const others = causesOf(disturbed).filter(({ kind }) => kind === 'other programs');
    expect(others.map(({ numbers }) => numbers)).toEqual([{ loadPercent: 30, measured: 1 }]);
    const inHardware = {
      ...busy,
      decoders: busy.decoders.map((each) => ({ ...each, acceleration: 'hardware' as const })),
    };
    expect(kindsOf(sceneOf(situationOf(alone('a'), [source('a')], inHardware)))).not.toContain(
      'hardware decoding',
    );
    const broken = busy.hardwarePaths.map((path) => ({
      ...path,
      works: false,
      reason: 'Cannot open the X11 display',
    }));
    const without = situationOf(alone('a'), [source('a')], { ...busy, hardwarePaths: broken });
    expect(kindsOf(sceneOf(without))).not.toContain('hardware decoding');
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
    expect(find(scene, 'slow scrubbing')!.numbers).toEqual({ medianMs: 420, worstMs: 900, measured: 1 });
    expect(find(scene, 'space')!.numbers).toEqual({ plannedBytes: 4e11, freeBytes: 2e10 });
  });

  it('21, 22: the same frames cost more at the end than at the beginning; sound that is not ready', () => {
    const situation = situationOf(alone('a'), [source('a')], strongRig());
    const hot = runOf((frame) => ({ decodeMs: frame < 80 ? 10 : frame < 160 ? 13 : 18 }));
    expect(find(sceneOf(situation, { measured: hot }), 'slowing down')!.numbers['times']).toBeCloseTo(1.8);
    // Effects that begin in the middle make the same decoding slower: that is no trend of the machine.
    const blur: Effect[] = [{ id: 'b', kind: 'blur', enabled: true, values: { radius: 2 } }];
    const halves = timelineOf([
      trackOf('p', [clipOf('a', 'a', 0, 120), clipOf('b', 'a', 120, 120, { effects: blur })]),
    ]);
    const unlike = runOf((frame) => ({ decodeMs: frame < 120 ? 10 : 40 }));
    const scene = sceneOf(situationOf(halves, [source('a')], strongRig()), { measured: unlike });
    expect(find(scene, 'slowing down')).toBeUndefined();
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

  it('something wrong elsewhere is said, though the part that was played went well', () => {
    const situation = situationOf(
      alone('a'),
      [source('a', { gop: 48 })],
      withCores(strongRig({}, 3e9, 60), 8),
    );
    const whole = runOf(() => ({ dropped: false }));
    expect(causesOf(sceneOf(situation, { measured: whole })).some(({ kind }) => kind === 'plays')).toBe(true);
    const log = new FrameLog(0, whole.log.rows(0, 24).slice());
    const part = { ...whole, log, summary: pacingSummary(log, situation.timeline.rate) };
    const kinds = causesOf(sceneOf(situation, { measured: part })).map(({ kind }) => kind);
    expect(kinds).not.toContain('plays');
    expect(kinds).toContain('serial decoding');
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
    // Its loads are those of the run; without one, those of the prediction.
    expect(first!.loads!.areMeasured).toBe(true);
    expect(first!.loads!.percent.decode).toBeCloseTo((100 * 10) / (1000 / 24), 0);
    const [unplayed] = causesOf(sceneOf(situation));
    expect(unplayed!.loads).toMatchObject({ areMeasured: false });
    expect(unplayed!.loads!.percent.decode).toBeGreaterThan(120);
  });
});
