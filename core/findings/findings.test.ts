import { describe, expect, it } from 'vitest';
import { FrameLog, pacingSummary, type RunFacts } from '../playback/index.js';
import type { KnownCopy } from '../cost-model/index.js';
import { SIMULATED_DRIVES, driveFigures, memoryShares, type Rig } from '../machine/index.js';
import { predict } from '../simulation/index.js';
import { rational } from '../time/index.js';
import { type Effect } from '../timeline/index.js';
import { findingOf, findingsOfRun, runFindingsSchema, shownSharpness, type FindingOf } from './index.js';
import {
  FRAMES,
  UHD,
  alone,
  clipOf,
  contextOf,
  find,
  findingsOf,
  halfCopy,
  kindsOf,
  runOf,
  situationOf,
  source,
  strongRig,
  timelineOf,
  trackOf,
  withCores,
} from '../testing/scenes.js';

/* What is not said in a case below is made up for it. */

describe('findings of choppy playback, in cases of common practice', () => {
  it('1: a source near 1,000 MB/s on an array that sustains 550; its half-size copies play at the full 24', () => {
    // 41.5 MB a frame and 24 of them a second are 996 MB/s.
    const heavy = source('raw', { codec: 'prores', megabits: 332 });
    const situation = situationOf(alone('raw'), [heavy], strongRig({}, 550e6));
    const context = contextOf(situation);
    expect(kindsOf(context)[0]).toBe('drive');
    const finding = find(context, 'drive')!;
    expect(finding.stage).toBe('read');
    expect(finding.evidence.drive).toBe('media');
    expect(finding.evidence.wantedBytesPerSecond / 996e6).toBeCloseTo(1, 1);
    expect(finding.predictedDrops).toBeGreaterThan(60);
    const light = situationOf(alone('raw'), [heavy], strongRig({}, 550e6), { lightCopies: true }, [
      halfCopy('raw', 10.4e6),
    ]);
    expect(predict(light).summary.framesPerSecondShown).toBe(24);
  });

  it('1: also where the drive is nearly full, though it keeps up', () => {
    const rig = strongRig();
    const full = { ...rig, drives: [{ ...rig.drives[0]!, freeBytes: 0.03 * rig.drives[0]!.bytes }] };
    const finding = find(contextOf(situationOf(alone('a'), [source('a')], full)), 'full-drive')!;
    expect(finding.evidence.freePercent).toBeCloseTo(3);
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
    const context = contextOf(situationOf(timeline, [long], rig));
    expect(findingsOf(context)[0]).toMatchObject({ kind: 'long-groups', stage: 'decode' });
    // Without a decode plan; the plan uses more of the cores and shows more frames.
    const reacting = predict({ ...context.situation, decoding: 'everything' });
    expect(reacting.coreUse).toBeGreaterThan(0.15);
    expect(reacting.coreUse).toBeLessThan(0.45);
    expect(context.prediction.ranges).toBeDefined();
    expect(context.prediction.summary.shown).toBeGreaterThan(reacting.summary.shown);
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
    const context = contextOf(situationOf(timeline, [source('a'), source('b')], rig));
    expect(findingsOf(context)[0]).toMatchObject({ kind: 'cores', stage: 'decode' });
    expect(context.prediction.coreUse).toBeGreaterThan(0.85);
  });

  const seeThrough: Effect = { id: 'e', kind: 'transform', enabled: true, values: { opacity: 50 } };

  it('6: seven stacked takes with one seen: seven times the decoding elsewhere, once here', () => {
    const tracks = Array.from({ length: 7 }, (_, at) =>
      trackOf(`t${at}`, [clipOf(`c${at}`, 'a', 0, FRAMES)]),
    );
    const context = contextOf(situationOf(timelineOf(tracks), [source('a')], strongRig()));
    const finding = find(context, 'occluded-clips')!;
    expect(finding.evidence).toEqual({ clips: 6, mostLayers: 7 });
    expect(context.prediction.workload.segments).toHaveLength(1);
    expect(context.prediction.summary.dropped).toBe(0);
  });

  it('4: 60 on 24: 2.5 decoded for each shown', () => {
    const fast = source('fast', { rate: rational(60) });
    const context = contextOf(situationOf(alone('fast'), [fast], withCores(strongRig({}, 3e9, 21), 8)));
    const finding = findingsOf(context)[0]!;
    expect(finding).toMatchObject({
      kind: 'rate-mismatch',
      stage: 'decode',
      evidence: { sources: ['fast'] },
    });
    expect((finding as FindingOf<'rate-mismatch'>).evidence.decodedPerShown).toBeCloseTo(2.5, 1);
    // A source of the timeline's own rate that is busy as well has no part in it.
    const mixed = timelineOf([trackOf('p', [clipOf('a', 'slow', 0, 120), clipOf('b', 'fast', 120, 120)])]);
    const slow = source('slow');
    const both = contextOf(situationOf(mixed, [slow, fast], withCores(strongRig({}, 3e9, 21), 8)));
    expect(find(both, 'rate-mismatch')!.evidence.sources).toEqual(['fast']);
    // Where it plays all the same, it is still worth a word.
    const easy = contextOf(situationOf(alone('fast'), [fast], strongRig()));
    expect(kindsOf(easy)[0]).toBe('real-time');
    expect(find(easy, 'rate-mismatch')!.evidence.decodedPerShown).toBe(2.5);
  });

  it('5: a source far larger than the working size', () => {
    const small = { ...alone('a'), size: { width: 1280, height: 720 } };
    const context = contextOf(situationOf(small, [source('a')], withCores(strongRig({}, 3e9, 60), 8)));
    expect(findingsOf(context)[0]).toMatchObject({ kind: 'oversized-source', evidence: { sources: ['a'] } });
  });

  it('9 and 8: showing, and scaling, that exceed the frame budget', () => {
    const rig = strongRig();
    const figure = rig.shows[0]!.ms;
    const slowScreen = { ...rig, shows: [{ ...UHD, ms: { ...figure, value: 90 } }] };
    expect(kindsOf(contextOf(situationOf(alone('a'), [source('a')], slowScreen, { playScale: 1 })))[0]).toBe(
      'presentation',
    );
    const kernels = rig.kernels.map((each) => ({ ...each, msPerMegapixel: { ...figure, value: 30 } }));
    const workers = situationOf(alone('a'), [source('a')], { ...rig, kernels });
    const shares = { ...workers.shares, decodeWorkers: 1 };
    expect(kindsOf(contextOf({ ...workers, shares }))[0]).toBe('scaling');
  });

  it('18: sound keeps time and the picture lags; 17: smooth, but soft, with the true pixel count', () => {
    const situation = situationOf(alone('a'), [source('a')], strongRig());
    const late = find(contextOf(situation, { run: runOf(() => ({ late: 35 })) }), 'picture-behind-sound')!;
    expect(late.evidence.latenessMs).toBeCloseTo(35, 0);
    const copies = [{ ...halfCopy('a', 2e5), width: 480, height: 270 }];
    const soft = situationOf(alone('a'), [source('a')], strongRig(), { lightCopies: true }, copies);
    // A copy of 480 × 270 shown at 960 × 540 has no more than its own pixels.
    expect(shownSharpness(predict(soft))).toMatchObject({
      pixels: 480 * 270,
      of: 3840 * 2160,
      fromCopies: true,
    });
    expect(find(contextOf(soft), 'soft-picture')!.evidence).toEqual({
      width: 480,
      height: 270,
      pixelPercent: 100 / 64,
      isFromCopies: true,
    });
    const whole = situationOf(alone('a'), [source('a')], strongRig(), { playScale: 1 });
    expect(find(contextOf(whole), 'soft-picture')).toBeUndefined();
  });

  it('10, 11, 20: hardware that is not used, the weaker graphics processor, other programs', () => {
    const rig = strongRig();
    const busy: Rig = {
      ...rig,
      machine: { ...rig.machine, loadByOthers: 0.4 },
      graphics: { ...rig.graphics, stronger: 'separate graphics processor' },
      hardwarePaths: [{ use: 'decode', name: 'vaapi', codec: 'h264', works: true, reason: '' }],
    };
    const kinds = kindsOf(contextOf(situationOf(alone('a'), [source('a')], busy)));
    expect(kinds).toEqual(
      expect.arrayContaining(['hardware-decoding', 'weaker-graphics', 'background-load']),
    );
    const context = contextOf(situationOf(alone('a'), [source('a')], busy));
    const run = runOf(() => ({}));
    const disturbed = { ...context, run: { ...run, facts: { ...run.facts, othersShare: 0.3 } } };
    const others = findingsOf(disturbed).filter(({ kind }) => kind === 'background-load');
    expect(others.map(({ evidence }) => evidence)).toEqual([{ loadPercent: 30, isOfRun: true }]);
    const inHardware = {
      ...busy,
      decoders: busy.decoders.map((each) => ({ ...each, acceleration: 'hardware' as const })),
    };
    expect(kindsOf(contextOf(situationOf(alone('a'), [source('a')], inHardware)))).not.toContain(
      'hardware-decoding',
    );
    const broken = busy.hardwarePaths.map((path) => ({
      ...path,
      works: false,
      reason: 'Cannot open the X11 display',
    }));
    const without = situationOf(alone('a'), [source('a')], { ...busy, hardwarePaths: broken });
    expect(kindsOf(contextOf(without))).not.toContain('hardware-decoding');
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
    const context = contextOf(
      situationOf(timeline, sources, { ...rig, drives }, { lightCopies: true }, copies),
    );
    expect(find(context, 'slow-copy-drive')!.evidence).toMatchObject({
      copyDrive: 'copies',
      mediaDrive: 'media',
    });
    expect(find(context, 'unusable-copies')).toMatchObject({ evidence: { copies: 1, states: ['stale'] } });
  });

  it('14, 15, 16, 19: little memory, a slow start, late scrubbing, too little space', () => {
    const situation = situationOf(alone('a'), [source('a')], strongRig());
    const small = { ...situation, shares: { ...situation.shares, readAheadBytes: 1e6 } };
    expect(find(contextOf(small), 'memory')!.evidence.readAheadSeconds).toBeLessThan(0.5);
    // At 1 GB, room for four pictures of 4K in each of two layers; a higher ceiling than that of the pool does not help.
    const over = trackOf('over', [
      clipOf('b', 'a', 0, FRAMES, {
        effects: [{ id: 'e', kind: 'transform', enabled: true, values: { opacity: 60 } }],
      }),
    ]);
    const layered = situationOf(timelineOf([...alone('a').tracks, over]), [source('a')], strongRig(), {
      playScale: 1,
    });
    const within = (ceiling: number) => ({ ...layered, shares: memoryShares(ceiling, 8) });
    expect(find(contextOf(within(1e9)), 'memory')!.evidence.waitingPictures).toBe(8);
    expect(kindsOf(contextOf(within(8e9)))).not.toContain('memory');
    const run = runOf(() => ({}));
    const slow = { ...run, summary: { ...run.summary, firstFrameMs: 2400 } };
    const scrub = {
      tuning: situation.tuning,
      subjectId: null,
      pictures: 20,
      medianMs: 420,
      worstTwentiethMs: 900,
    };
    const context = contextOf(situation, { run: slow, scrub, planned: { bytes: 4e11, freeBytes: 2e10 } });
    expect(find(context, 'slow-start')!.evidence).toEqual({ firstFrameMs: 2400 });
    expect(find(context, 'slow-scrubbing')!.evidence).toEqual({
      medianMs: 420,
      worstTwentiethMs: 900,
      isMeasured: true,
    });
    expect(find(context, 'storage-space')!.evidence).toEqual({ plannedBytes: 4e11, freeBytes: 2e10 });
  });

  it('21, 22: the same frames cost more at the end than at the beginning; sound that is not ready', () => {
    const situation = situationOf(alone('a'), [source('a')], strongRig());
    const hot = runOf((frame) => ({ decodeMs: frame < 80 ? 10 : frame < 160 ? 13 : 18 }));
    expect(find(contextOf(situation, { run: hot }), 'slowdown')!.evidence.ratio).toBeCloseTo(1.8);
    // Effects that begin in the middle make the same decoding slower: that is no trend of the machine.
    const blur: Effect[] = [{ id: 'b', kind: 'blur', enabled: true, values: { radius: 2 } }];
    const halves = timelineOf([
      trackOf('p', [clipOf('a', 'a', 0, 120), clipOf('b', 'a', 120, 120, { effects: blur })]),
    ]);
    const unlike = runOf((frame) => ({ decodeMs: frame < 120 ? 10 : 40 }));
    const context = contextOf(situationOf(halves, [source('a')], strongRig()), { run: unlike });
    expect(find(context, 'slowdown')).toBeUndefined();
    const even = runOf((frame) => ({ decodeMs: 10 + (frame % 7) }));
    expect(find(contextOf(situation, { run: even }), 'slowdown')).toBeUndefined();
    const silent = { ...even, facts: { sound: { mixMs: 10, gapSamples: 4800 } } as RunFacts };
    expect(find(contextOf(situation, { run: silent }), 'sound')!.evidence.gapMs).toBe(100);
  });

  it('nothing wrong is a finding too, with its headroom', () => {
    const [first] = findingsOf(contextOf(situationOf(alone('a'), [source('a')], strongRig())));
    expect(first!.kind).toBe('real-time');
    expect((first as FindingOf<'real-time'>).evidence.peakUsePercent).toBeGreaterThan(0);
    expect((first as FindingOf<'real-time'>).evidence.peakUsePercent).toBeLessThan(60);
  });

  it('something wrong elsewhere is said, though the part that was played went well', () => {
    const situation = situationOf(
      alone('a'),
      [source('a', { gop: 48 })],
      withCores(strongRig({}, 3e9, 60), 8),
    );
    const whole = runOf(() => ({ dropped: false }));
    expect(findingsOf(contextOf(situation, { run: whole })).some(({ kind }) => kind === 'real-time')).toBe(
      true,
    );
    const log = new FrameLog(0, whole.log.rows(0, 24).slice());
    const part = { ...whole, log, summary: pacingSummary(log, situation.timeline.rate) };
    const kinds = findingsOf(contextOf(situation, { run: part })).map(({ kind }) => kind);
    expect(kinds).not.toContain('real-time');
    expect(kinds).toContain('serial-decoding');
  });

  it('are ranked by what the run dropped, where there was one', () => {
    const situation = situationOf(
      alone('a'),
      [source('a', { gop: 48 })],
      withCores(strongRig({}, 3e9, 60), 8),
    );
    const run = runOf((frame) => ({ dropped: frame > 200 }));
    const [first] = findingsOf(contextOf(situation, { run }));
    expect(first!.measuredDrops).toBe(39);
    expect(first!.stage).toBe('decode');
    // A decoder that is predicted to take 144 % of the budget is as busy, however long the log says that it waited.
    expect(first!.loadPercent!.decode).toBeGreaterThan(120);
    const [unplayed] = findingsOf(contextOf(situation));
    expect(unplayed!.measuredDrops).toBeNull();
    expect(unplayed!.loadPercent!.decode).toBeGreaterThan(120);
  });

  it('blame the stage that works, not those that wait for it', () => {
    const blur: Effect[] = [{ id: 'b', kind: 'blur', enabled: true, values: { radius: 2 } }];
    const situation = situationOf(alone('a', { effects: blur }), [source('a')], strongRig(), {
      playScale: 1,
    });
    // The decoder has been held up by the effects behind it: its time in the log is mostly waiting.
    const run = runOf((frame) => ({ decodeMs: 95, dropped: frame % 2 === 1 }));
    const [first] = findingsOf(contextOf(situation, { run }));
    expect(first).toMatchObject({ kind: 'effects', stage: 'effects', measuredDrops: FRAMES / 2 });
    const { decode, effects } = first!.loadPercent!;
    expect(effects).toBeGreaterThan(100);
    expect(decode).toBeLessThan(50);
  });

  it('name no stage for frames that were dropped where nothing was busy', () => {
    const run = runOf((frame) => ({ dropped: frame >= 100 && frame < 112 }));
    const [first] = findingsOf(contextOf(situationOf(alone('a'), [source('a')], strongRig()), { run }));
    expect(first).toMatchObject({ kind: 'unexplained', stage: null, dropped: 12, measuredDrops: 12 });
    expect((first as FindingOf<'unexplained'>).evidence.usePercent).toBeLessThan(60);
  });

  it('are those of the run where it went, and of the prediction elsewhere', () => {
    const slow = withCores(strongRig({}, 3e9, 60), 8);
    const situation = situationOf(alone('a'), [source('a', { gop: 48 })], slow);
    const whole = runOf(() => ({}));
    const log = new FrameLog(0, whole.log.rows(0, FRAMES / 2).slice());
    const run = { ...whole, log, summary: pacingSummary(log, situation.timeline.rate) };
    const [first] = findingsOf(contextOf(situation, { run }));
    expect(first).toMatchObject({ kind: 'serial-decoding', measuredDrops: null });
    expect(first!.ranges[0]!.from).toBeGreaterThanOrEqual(FRAMES / 2);
    // What is predicted where the run did not go is not kept with it.
    expect(findingsOfRun([first!])).toEqual([]);
    const late = runOf((frame) => ({ dropped: frame > 200 }));
    const [measured] = findingsOf(contextOf(situation, { run: late }));
    expect(findingsOfRun([measured!])).toEqual([measured]);
  });

  it('are kept with a run as they are, and nothing else is', () => {
    const finding = findingOf(
      'long-groups',
      { sources: ['a'], reachMs: 400, corePercent: 30 },
      { dropped: 3 },
    );
    const isValid = (each: unknown): boolean =>
      runFindingsSchema.isValidSync({ findings: [each] }, { strict: true });
    expect(isValid(finding)).toBe(true);
    for (const found of findingsOf(contextOf(situationOf(alone('a'), [source('a')], strongRig()))))
      expect(isValid(found)).toBe(true);
    expect(isValid({ ...finding, kind: 'bad luck' })).toBe(false);
    expect(isValid({ ...finding, evidence: { sources: ['a'] } })).toBe(false);
    expect(isValid({ ...finding, evidence: { ...finding.evidence, more: 1 } })).toBe(false);
    expect(isValid(null)).toBe(false);
  });
});
