import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { FrameLog, type RunFacts } from '../playback/index.js';
import { PLAINEST } from '../levers/index.js';
import { renderGraph } from '../render/index.js';
import { readySource, sourceFacts } from '../testing/index.js';
import { rational } from '../time/index.js';
import { appendSource, emptyTimeline } from '../timeline/index.js';
import {
  decodeMs,
  decodeObservations,
  fitDecodeCost,
  UNCALIBRATED,
  presentMs,
  refine,
  RESAMPLE,
  RESAMPLE_FAR,
  resampleMs,
  measuredLoads,
  showMs,
  soloLoads,
  type DecodeLoad,
  type StageLoads,
} from '../cost-model/index.js';
import {
  decoderSamples,
  figureOf,
  isSoftwareRenderer,
  LOWEST_CEILING,
  memoryShares,
  rigSchema,
  SIMULATED_DRIVES,
  SIMULATED_RIGS,
  staleReasons,
  strongerGraphics,
  usualCeiling,
} from './index.js';

const GIB = 2 ** 30;
const ABOUT = { method: 'test', measuredAt: '2026-11-25T00:00:00Z', disturbed: false };
const laptop = SIMULATED_RIGS[0]!;

describe('the cost of decoding', () => {
  it('is found again from what follows its formula', () => {
    const terms = fc.record({
      baseMs: fc.double({ min: 0.5, max: 3, noNaN: true }),
      perMegapixel: fc.double({ min: 0.5, max: 5, noNaN: true }),
      perMegabit: fc.double({ min: 0.5, max: 8, noNaN: true }),
    });
    fc.assert(
      fc.property(terms, ({ baseMs, perMegapixel, perMegabit }) => {
        const points = [
          [8.3, 2.5],
          [8.3, 0.4],
          [2.1, 0.7],
          [0.5, 0.5],
          [0.9, 0.1],
        ].map(([megapixels, megabits]) => ({
          megapixels: megapixels!,
          megabits: megabits!,
          ms: baseMs + perMegapixel * megapixels! + perMegabit * megabits!,
        }));
        const cost = fitDecodeCost(points);
        for (const { megapixels, megabits, ms } of points) {
          const fitted = cost.baseMs + cost.msPerMegapixel * megapixels + cost.msPerMegabit * megabits;
          expect(Math.abs(fitted / ms - 1)).toBeLessThan(0.12);
        }
      }),
    );
  });

  it('of one measurement falls with the pixels, and no term is ever negative', () => {
    expect(fitDecodeCost([{ megapixels: 8, megabits: 2, ms: 24 }])).toMatchObject({
      msPerMegapixel: 3,
      baseMs: 0,
    });
    const odd = fitDecodeCost([
      { megapixels: 8, megabits: 0.1, ms: 24 },
      { megapixels: 2, megabits: 3, ms: 5 },
      { megapixels: 1, megabits: 5, ms: 2 },
    ]);
    for (const term of [odd.baseMs, odd.msPerMegapixel, odd.msPerMegabit])
      expect(term).toBeGreaterThanOrEqual(0);
    expect(() => fitDecodeCost([])).toThrow(/no measurement/);
  });

  it('is estimated, with a spread, where nothing like it was measured', () => {
    const load: DecodeLoad = {
      ...{ decoder: 'browser', codec: 'dnxhd', chroma: '4:2:2', bitDepth: 8 },
      ...{ megapixels: 2, megabits: 1 },
    };
    expect(decodeMs(laptop, load)).toMatchObject({ spread: 0.4 });
  });
});

describe('the loads of the stages', () => {
  const shape = { rate: rational(24), size: { width: 3840, height: 2160 } };
  const tuning = { ...PLAINEST, playScale: 4 as const };
  const work = (facts: Parameters<typeof sourceFacts>[0] = {}): ReturnType<typeof readySource> =>
    readySource('a', sourceFacts(facts));
  const loadsOf = (rig = laptop, source = work(), scale: 2 | 4 | 8 = 4): StageLoads =>
    measuredLoads(soloLoads(rig, source, shape, { ...tuning, playScale: scale })!);

  it('are shares of the frame budget', () => {
    const loads = loadsOf();
    const load = {
      decoder: 'browser',
      codec: 'h264',
      chroma: '4:2:0',
      bitDepth: 8,
      megapixels: 8.2944,
      megabits: 2.5,
    } as const;
    expect(loads.decode).toBeCloseTo((100 * decodeMs(laptop, load).ms) / (1000 / 24), 1);
    // 85 MB/s, a frame of 312,500 bytes, 41.7 ms: 8.8 %.
    expect(loads.read).toBeCloseTo((100 * (312_500 / 85e6)) / (1 / 24), 2);
    expect(loads.effects).toBe(0);
    // One picture that fills the frame is not composed.
    expect(loads.compose).toBe(0);
  });

  it('of a 60/s source on a 24/s timeline hold two and a half pictures', () => {
    // The same bits a frame.
    const fast = readySource(
      'a',
      sourceFacts({ rate: rational(60), frameCount: 600 }, { bitsPerSecond: 150e6 }),
    );
    expect(loadsOf(laptop, fast).decode! / loadsOf().decode!).toBeCloseTo(2.5, 1);
  });

  it('fall with the preview scale only where pixels are shown', () => {
    const [small, large] = [loadsOf(laptop, work(), 8), loadsOf(laptop, work(), 2)];
    expect(small.decode).toBe(large.decode);
    expect(small.show!).toBeLessThan(large.show! / 4);
  });

  it('are unknown where nothing was measured', () => {
    const empty = { ...laptop, kernels: [], shows: [], drives: [], decoders: [] };
    expect(loadsOf(empty)).toMatchObject({ read: null, decode: null, scale: null, show: null });
    expect(soloLoads(laptop, work(null), shape, tuning)).toBeUndefined();
  });

  it('of showing lie between the sizes that were measured', () => {
    expect(showMs(laptop, 0.96 * 0.54)).toBeCloseTo(laptop.shows[1]!.ms.value, 9);
    const between = showMs(laptop, 1)!;
    expect(between).toBeGreaterThan(laptop.shows[1]!.ms.value);
    expect(between).toBeLessThan(laptop.shows[2]!.ms.value);
    expect(showMs({ ...laptop, shows: [] }, 1)).toBeUndefined();
  });

  it('are joined by what the browser takes, measured for one size and in proportion for others', () => {
    const [first, ...others] = laptop.shows;
    const measured = { ...first!, presentMs: { ...first!.ms, value: first!.ms.value / 4 } };
    const rig = { ...laptop, shows: [measured, ...others] };
    for (const megapixels of [0.2, 0.96 * 0.54, 3])
      expect(presentMs(rig, megapixels)! / showMs(rig, megapixels)!).toBeCloseTo(0.25, 9);
    expect(presentMs(laptop, 1)! / showMs(laptop, 1)!).toBeGreaterThan(0);
    expect(presentMs({ ...laptop, shows: [] }, 1)).toBeUndefined();
  });

  it('of resampling have a part for what is read and a part for what is made', () => {
    const near = laptop.kernels.find(({ kernel }) => kernel === RESAMPLE)!;
    const msPerMegapixel = { ...near.msPerMegapixel, value: near.msPerMegapixel.value / 4 };
    const rig = {
      ...laptop,
      kernels: [...laptop.kernels, { ...near, kernel: RESAMPLE_FAR, msPerMegapixel }],
    };
    const at = (result: number): number => resampleMs(rig, 8, result)!;
    // As measured, at both places: to 1042 × 586 and to 238 × 134 of 3840 × 2160.
    expect(at((8 * 1042 * 586) / (3840 * 2160))).toBeCloseTo(8 * near.msPerMegapixel.value, 2);
    expect(at((8 * 238 * 134) / (3840 * 2160))).toBeCloseTo(2 * near.msPerMegapixel.value, 2);
    expect(at(0.4)).toBeGreaterThan(at(0.1));
    expect(at(0.001)).toBeCloseTo(2 * near.msPerMegapixel.value, 2);
    expect(resampleMs(laptop, 8, 0.001)).toBe(resampleMs(laptop, 8, 1));
  });
});

describe('a rig', () => {
  it('comes back from a file as it was, and another version is refused', () => {
    const taught = { ...laptop, calibration: UNCALIBRATED };
    for (const rig of [...SIMULATED_RIGS, taught])
      expect(rigSchema.validateSync(JSON.parse(JSON.stringify(rig)), { strict: true })).toEqual(rig);
    expect(() => rigSchema.validateSync({ ...laptop, version: 2 }, { strict: true })).toThrow(
      /another version/,
    );
    expect(() => rigSchema.validateSync({ ...laptop, drives: 'none' }, { strict: true })).toThrow();
  });

  it('is stale when machine, browser or graphics change, and says which', () => {
    const now = {
      model: laptop.machine.model,
      cores: 2,
      memoryBytes: laptop.machine.memoryBytes,
      browser: laptop.browser,
      renderer: laptop.graphics.renderer,
    };
    expect(staleReasons(laptop, now)).toEqual([]);
    expect(staleReasons(laptop, { ...now, cores: 4 })).toEqual(['another machine']);
    expect(staleReasons(laptop, { ...now, browser: 'new', renderer: 'new' })).toHaveLength(2);
  });

  it('takes in what runs show of decoders that were not measured', () => {
    const seen = {
      ...({ decoder: 'browser', codec: 'h264', profile: '', chroma: '4:2:0', bitDepth: 8 } as const),
      ...{ width: 3840, height: 2160, bitsPerFrame: 2.5e6 },
    };
    const known = laptop.decoders.find(({ codec, width }) => codec === 'h264' && width === 3840)!.msPerFrame!
      .value;
    const once = refine(laptop, [{ ...seen, msPerFrame: known + 8 }], ABOUT.measuredAt);
    const after = once.decoders.find(({ codec, width }) => codec === 'h264' && width === 3840)!.msPerFrame!;
    // What was measured stays; by how much it is off, the calibration says.
    expect(after).toMatchObject({ value: known, method: 'given, not measured' });
    const other = refine(
      laptop,
      [{ ...seen, codec: 'mpeg2video', decoder: 'server', msPerFrame: 4 }],
      ABOUT.measuredAt,
    );
    expect(other.decoders).toHaveLength(laptop.decoders.length + 1);
    expect(laptop.decoders).toHaveLength(24);
  });

  it('has figures with their spread', () => {
    expect(figureOf([3, 1, 2], ABOUT)).toMatchObject({ value: 2, low: 1, high: 3, times: 3 });
    expect(() => figureOf([], ABOUT)).toThrow(/at least one/);
  });

  it('is shipped simulated at least five times, and so are drives', () => {
    expect(SIMULATED_RIGS.length).toBeGreaterThanOrEqual(5);
    expect(SIMULATED_DRIVES.length).toBeGreaterThanOrEqual(5);
    expect(new Set(SIMULATED_RIGS.map(({ id }) => id)).size).toBe(SIMULATED_RIGS.length);
  });
});

describe('what a run shows of decoders', () => {
  const source = readySource('a', sourceFacts({ size: { width: 1920, height: 1080 } }), {
    structure: { bitsPerFrame: 700_000 } as never,
  });
  const timeline = appendSource(
    emptyTimeline({ num: 24, den: 1 }, { width: 1920, height: 1080 }),
    { sourceId: 'a', name: 'a', durationSeconds: { num: 2, den: 1 }, hasPicture: true, hasSound: false },
    () => 'c',
  );
  const graph = renderGraph(timeline, () => source.facts!);
  const log = FrameLog.empty(0, 48);
  for (let frame = 0; frame < 48; frame++) {
    log.set(frame, 'settled', 1);
    log.set(frame, 'decode', 18);
    log.set(frame, 'decoded', 2);
  }
  const facts = { tuning: PLAINEST, serverDecoded: [], copiedSources: [] } as unknown as RunFacts;

  it('is the mean of a picture, by the decoder that was used', () => {
    expect(decodeObservations(log, facts, graph, [source], [])).toMatchObject([
      { decoder: 'browser', codec: 'h264', width: 1920, bitsPerFrame: 700_000, msPerFrame: 9 },
    ]);
    const byServer = { ...facts, serverDecoded: ['a'] };
    expect(decodeObservations(log, byServer, graph, [source], [])[0]!.decoder).toBe('server');
  });

  it('is of the light copy when that was played, and nothing when too little was', () => {
    const copied = { ...facts, copiedSources: ['a'] };
    const copy = { sourceId: 'a', state: 'ready', width: 480, height: 270, alphaRow: null, bytes: 240_000 };
    expect(decodeObservations(log, copied, graph, [source], [copy])).toMatchObject([
      { width: 480, profile: 'intra', bitsPerFrame: 8000 },
    ]);
    expect(decodeObservations(FrameLog.empty(0, 48), facts, graph, [source], [])).toEqual([]);
  });

  it('is measured on one source of each kind', () => {
    const hd = (id: string, bitsPerFrame: number): typeof source =>
      readySource(id, sourceFacts({ size: { width: 1920, height: 1080 } }), {
        structure: { ...source.structure!, bitsPerFrame },
      });
    const light = hd('light', 600_000);
    const large = readySource('large', sourceFacts());
    const sound = readySource('sound', sourceFacts(null));
    expect(decoderSamples([light, source, sound, large]).map(({ id }) => id)).toEqual(['large', 'a']);
    // A sixth of the bits is another kind.
    const thin = decoderSamples([source, hd('thin', 110_000)]);
    expect(thin.map(({ id }) => id)).toEqual(['a', 'thin']);
  });
});

describe('the memory ceiling', () => {
  it('is half of the machine, within bounds', () => {
    expect(usualCeiling(8 * GIB)).toBe(4 * GIB);
    expect(usualCeiling(64 * GIB)).toBe(8 * GIB);
    expect(usualCeiling(1 * GIB)).toBe(LOWEST_CEILING);
  });

  it('holds all shares together', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 32 }), fc.integer({ min: 1, max: 64 }), (gib, cores) => {
        const shares = memoryShares(gib * GIB, cores);
        const MIB = 2 ** 20;
        const sum =
          400 * MIB +
          shares.framePoolBytes +
          shares.keptPictureBytes +
          shares.decodeWorkers * (220 * MIB + shares.readAheadBytes) +
          shares.ffmpegThreads * 60 * MIB;
        // One decoder and one thread there must be, however little there is.
        const least = 400 * MIB + 220 * MIB + 60 * MIB;
        expect(sum).toBeLessThanOrEqual(Math.max(shares.ceilingBytes, least) * 1.001);
        expect(shares.decodeWorkers).toBeLessThanOrEqual(Math.max(1, cores - 1));
      }),
    );
  });
});

describe('graphics', () => {
  it('in software count as none', () => {
    expect(isSoftwareRenderer('ANGLE (Google, Vulkan 1.3.0 (SwiftShader Device (Subzero)))')).toBe(true);
    expect(isSoftwareRenderer('llvmpipe (LLVM 15)')).toBe(true);
    expect(isSoftwareRenderer('ANGLE (Intel, Mesa Intel(R) UHD Graphics 620)')).toBe(false);
  });

  it('that are stronger and unused are found', () => {
    const small = { vendor: '0x8086', device: '0x5917', memoryBytes: 2 ** 28 };
    const large = { vendor: '0x10de', device: '0x1c8d', memoryBytes: 2 ** 32 };
    expect(strongerGraphics('ANGLE (Intel, UHD Graphics)', [small, large])).toMatch(
      /NVIDIA graphics processor/,
    );
    expect(strongerGraphics('ANGLE (NVIDIA, GeForce)', [small, large])).toBeNull();
    expect(strongerGraphics('SwiftShader', [{ ...small, memoryBytes: 1 << 20 }])).toMatch(/Intel graphics/);
    expect(strongerGraphics('SwiftShader', [])).toBeNull();
  });
});
