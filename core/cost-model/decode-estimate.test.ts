import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { readySource, sourceFacts } from '../testing/index.js';
import type { PictureFacts } from '../media/index.js';
import { decodeMs } from './cost-model.js';
import { estimateDecode, type DecodeLoad } from './decode-estimate.js';
import {
  isRefusedByBrowser,
  SIMULATED_RIGS,
  untriedSources,
  withTrials,
  type DecodeFigures,
} from '../machine/index.js';

const laptop = SIMULATED_RIGS[0]!;

const figures = (change: Partial<DecodeFigures> & { ms?: number | null } = {}): DecodeFigures => {
  const { ms = 10, ...rest } = change;
  const about = { times: 1, method: '', measuredAt: '', disturbed: false };
  return {
    ...{ decoder: 'browser', codec: 'h264', profile: 'High', chroma: '4:2:0', bitDepth: 8 },
    ...{
      width: 1920,
      height: 1080,
      bitsPerFrame: 5e5,
      acceleration: 'software',
      together: [],
      problem: null,
    },
    msPerFrame: ms === null ? null : { value: ms, low: ms, high: ms, ...about },
    ...rest,
  };
};
const rigOf = (...decoders: DecodeFigures[]) => ({ ...laptop, decoders });
const load = (change: Partial<DecodeLoad> = {}): DecodeLoad => ({
  ...{ decoder: 'browser', codec: 'h264', chroma: '4:2:0', bitDepth: 8, megapixels: 2.07, megabits: 0.5 },
  ...change,
});

describe('an estimate of decoding', () => {
  it('is never nothing, whatever was measured', () => {
    const loads = fc.record({
      decoder: fc.constantFrom('browser' as const, 'server' as const),
      codec: fc.constantFrom('h264', 'hevc', 'ffv1', 'a codec of tomorrow'),
      chroma: fc.constantFrom('4:2:0', '4:2:2', '4:4:4', 'RGB'),
      bitDepth: fc.constantFrom(8, 10, 12),
      megapixels: fc.double({ min: 0.1, max: 34, noNaN: true }),
      megabits: fc.double({ min: 0.01, max: 50, noNaN: true }),
    });
    const rigs = fc.constantFrom(
      rigOf(),
      rigOf(figures({ ms: null })),
      rigOf(figures({ decoder: 'server', codec: 'mjpeg' })),
      laptop,
    );
    fc.assert(
      fc.property(loads, rigs, (each, rig) => {
        const { ms, spread } = decodeMs(rig, each);
        expect(ms).toBeGreaterThan(0);
        expect(ms).toBeLessThan(Infinity);
        expect(spread).toBeGreaterThanOrEqual(0);
      }),
    );
  });

  it('goes with what the machine takes for what was measured', () => {
    const [quick, slow] = [4, 12].map(
      (ms) => estimateDecode(rigOf(figures({ ms })), load({ codec: 'vp9' })).ms,
    );
    expect(slow! / quick!).toBeCloseTo(3, 6);
  });

  it('is surer the nearer the figures are that it is taken from', () => {
    const spreads = [
      rigOf(figures({ codec: 'hevc' })),
      rigOf(figures()),
      rigOf(figures({ decoder: 'server', codec: 'hevc' })),
      rigOf(),
    ].map((rig) => estimateDecode(rig, load({ codec: 'hevc' })).spread);
    expect(spreads).toEqual([...spreads].sort((a, b) => a - b));
    expect(new Set(spreads).size).toBe(4);
  });

  it('takes the same codec before another one', () => {
    const rig = rigOf(figures({ ms: 5 }), figures({ codec: 'hevc', ms: 40 }));
    const whole = { megapixels: (1920 * 1080) / 1e6, megabits: 0.5, codec: 'hevc' };
    expect(estimateDecode(rig, load(whole)).ms).toBeCloseTo(40, 6);
  });

  // 4:4:4 holds twice the samples of 4:2:0: Recommendation ITU-T H.264, table 6-1.
  it('of more samples, or deeper ones, is higher', () => {
    const of = (change: Partial<DecodeLoad>): number => estimateDecode(rigOf(figures()), load(change)).ms;
    expect(of({ chroma: '4:4:4' })).toBeGreaterThan(of({ chroma: '4:2:2' }));
    expect(of({ chroma: '4:2:2' })).toBeGreaterThan(of({}));
    expect(of({ bitDepth: 10 })).toBeGreaterThan(of({}));
  });
});

describe('a trial', () => {
  const sourceOf = (picture: Partial<PictureFacts>) => readySource('a', sourceFacts(picture));
  const tried = (
    picture: Partial<PictureFacts>,
    change: Parameters<typeof figures>[0] = {},
  ): DecodeFigures => {
    const { codec, chroma, bitDepth, size } = sourceFacts(picture).picture!;
    return figures({ codec, chroma, bitDepth, ...size, bitsPerFrame: 0, ...change });
  };
  const software = { ...laptop, decoders: [], graphics: { ...laptop.graphics, software: true } };

  it('is wanted of what no figures are known, and not once more', () => {
    const source = sourceOf({ codec: 'vp9' });
    expect(untriedSources(software, [source])).toEqual({ browser: [source], server: [] });
    const known = withTrials(software, [tried({ codec: 'vp9' })]);
    expect(untriedSources(known, [source])).toEqual({ browser: [], server: [] });
    const larger = sourceOf({ codec: 'vp9', size: { width: 640, height: 360 } });
    expect(untriedSources(known, [larger]).browser).toEqual([larger]);
  });

  it('is wanted of the server where no browser decodes it, or this one does not', () => {
    const [lossless, hevc] = [sourceOf({ codec: 'ffv1' }), sourceOf({ codec: 'hevc' })];
    expect(untriedSources(software, [lossless])).toEqual({ browser: [], server: [lossless] });
    // Taken to be refused until it was tried.
    expect(untriedSources(software, [hevc])).toEqual({ browser: [hevc], server: [hevc] });
    const refused = withTrials(software, [tried({ codec: 'hevc' }, { ms: null, acceleration: 'none' })]);
    expect(untriedSources(refused, [hevc])).toEqual({ browser: [], server: [hevc] });
    const decoded = withTrials(software, [tried({ codec: 'hevc' })]);
    expect(isRefusedByBrowser(decoded, hevc.facts!.picture!)).toBe(false);
    expect(untriedSources(decoded, [hevc])).toEqual({ browser: [], server: [] });
  });

  it('of a clip that is too short to measure does not say that it is refused', () => {
    const short = withTrials(software, [tried({ codec: 'vp9' }, { ms: null, problem: 'too short' })]);
    expect(isRefusedByBrowser(short, sourceFacts({ codec: 'vp9' }).picture!)).toBe(false);
  });
});
