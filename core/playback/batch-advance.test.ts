import fc from 'fast-check';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { rational } from '../time/index.js';
import {
  LOG_COLUMNS,
  pacingSummary,
  ProcessorSharing,
  simulate,
  type DecodeSegment,
  type Workload,
} from './index.js';

const FRAMES = 200;

/** So little spread changes nothing, but everything is played event by event. */
const EACH_EVENT = { spread: 1e-12 };

function passage(from: number, to: number, more: Partial<DecodeSegment> = {}): DecodeSegment {
  const length = to - from;
  return {
    ...{ clipId: `c${from}-${to}`, sourceId: 's', from, to, coding: 'h264', drive: 0, bytesPerPicture: 1e5 },
    ...{ openMs: 10, firstMs: 6, restartMs: 6, decodeMs: 2, decodeCores: 1.5, scaleMs: 1, effectsMs: 0.5 },
    decodes: new Uint16Array(length).fill(1),
    coldDecodes: Uint16Array.from({ length }, (_, at) => (at % 12) + 1),
    entries: Int32Array.from({ length: Math.ceil(length / 12) }, (_, at) => from + at * 12),
    ...more,
  };
}

const lineOf = (passages: readonly DecodeSegment[], more: Partial<Workload> = {}): Workload => ({
  ...{ rate: rational(24), from: 0, to: FRAMES, composeMs: new Float32Array(FRAMES).fill(1), showMs: 2 },
  segments: [...passages].sort((a, b) => a.from - b.from),
  ...{ presentMs: 1, cores: 12, coresOfOthers: 0, decodeWorkers: 4, slots: 72 },
  drives: [{ name: '/', bytesPerSecond: 1e9, latencyMs: 0, seekMs: 0 }],
  ...{ readAheadBytes: 16e6, startMs: 20 },
  ...more,
});

/** Three tracks that are cut at different frames, every clip after its own manner. */
const tracks = fc
  .array(
    fc.record({
      every: fc.integer({ min: 30, max: 90 }),
      pictures: fc.constantFrom(1, 1, 2),
      repeats: fc.boolean(),
      bits: fc.boolean(),
      isFree: fc.boolean(),
      decodeMs: fc.double({ min: 0.1, max: 4, noNaN: true }),
    }),
    { minLength: 1, maxLength: 3 },
  )
  .map((each) =>
    each.flatMap(({ every, pictures, repeats, bits, isFree, decodeMs }) =>
      Array.from({ length: Math.ceil(FRAMES / every) }, (_, clip) => {
        const [from, to] = [clip * every, Math.min(FRAMES, (clip + 1) * every)];
        const length = to - from;
        const again = Uint8Array.from({ length }, (__, at) => Number(repeats && at % 3 === 2));
        const decodes = Uint16Array.from(again, (isAgain) => (isAgain ? 0 : pictures));
        const weights = Float32Array.from(decodes, (count, at) => count * (0.5 + (at % 4) / 3));
        const free = Uint8Array.from({ length }, (__, at) => at % 2);
        return passage(from, to, {
          ...{ decodes, repeats: again, decodeMs },
          ...(bits ? { bits: weights, coldBits: weights, bitShare: 0.6 } : {}),
          ...(isFree ? { unreferenced: free, ownBits: weights } : {}),
        });
      }),
    ),
  );

afterEach(() => vi.restoreAllMocks());

describe('what is done at once between two frames', () => {
  it('gives the log that going from event to event gives', () => {
    fc.assert(
      fc.property(
        tracks,
        fc.constantFrom(3, 6, 12),
        fc.constantFrom(0, 0.1),
        (passages, cores, unsteadiness) => {
          const line = lineOf(passages, { cores, unsteadiness });
          const [atOnce, step] = [simulate(line), simulate(line, EACH_EVENT)];
          for (const column of LOG_COLUMNS)
            for (let frame = 0; frame < FRAMES; frame++)
              expect(atOnce.log.get(frame, column)).toBeCloseTo(step.log.get(frame, column), 2);
          expect(atOnce.coreUse).toBeCloseTo(step.coreUse, 6);
        },
      ),
      { numRuns: 60 },
    );
  });

  it('spares nearly all events where there are cores for everybody', () => {
    const begin = vi.spyOn(ProcessorSharing.prototype, 'begin');
    const line = lineOf([passage(0, FRAMES), passage(0, 90), passage(90, FRAMES)]);
    expect(pacingSummary(simulate(line).log, line.rate).dropped).toBe(0);
    const atOnce = begin.mock.calls.length;
    simulate(line, EACH_EVENT);
    // A frame is drawn and brought to the screen; its two pictures are decoded and made.
    expect(begin.mock.calls.length - atOnce).toBeGreaterThan(5.5 * FRAMES);
    expect(atOnce).toBeLessThan(3.5 * FRAMES);
  });

  it('goes from event to event where cores are fewer, so that one slows another down', () => {
    const begin = vi.spyOn(ProcessorSharing.prototype, 'begin');
    const line = lineOf([passage(0, FRAMES), passage(0, FRAMES)], { cores: 1.9 });
    simulate(line);
    const own = begin.mock.calls.length;
    simulate(line, EACH_EVENT);
    expect(own).toBeGreaterThan(3 * FRAMES);
    expect(begin.mock.calls.length).toBe(2 * own);
  });
});
