import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { PLAINEST } from '../levers/index.js';
import { source, strongRig, UHD, withCores } from '../testing/scenes.js';
import { rational } from '../time/index.js';
import { capabilityOf, MOST_LAYERS, type Capability } from './index.js';

const BUDGET_MS = 1000 / 24;
const SHAPE = { rate: rational(24), size: UHD };
const TUNING = { ...PLAINEST, playScale: 4 as const };

const capability = (decodeMs: number, cores: number): Capability =>
  capabilityOf(withCores(strongRig({}, 3e9, decodeMs), cores), source('a'), SHAPE, TUNING)!;

describe('what a rig plays', () => {
  it('is as many frames a second as its slowest thread makes', () => {
    const { droppedShare, framesPerSecond, limiting, layers } = capability(20, 16);
    expect(droppedShare).toBe(0);
    expect(limiting).toBe('decode');
    // 1000 ms over 20 ms for each picture.
    expect(framesPerSecond).toBeCloseTo(50, 0);
    expect(layers).toBe(MOST_LAYERS);
  });

  it('is not one layer where a picture takes longer than its frame', () => {
    const { droppedShare, framesPerSecond, layers } = capability(60, 16);
    expect(framesPerSecond).toBeCloseTo(1000 / 60, 0);
    expect(layers).toBe(0);
    // Of 24 frames a second, 60 ms each allow 16.7 at the most; starting again behind the playhead takes some more.
    expect(droppedShare).toBeGreaterThan(1 - 1000 / 60 / 24 - 0.01);
    expect(droppedShare).toBeLessThan(0.6);
  });

  // All cores together have so much time in each frame, whoever uses it.
  it('is never more than the cores have time for', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 5, max: 60, noNaN: true }),
        fc.integer({ min: 1, max: 6 }),
        (ms, cores) => {
          const { framesPerSecond, layers } = capability(ms, cores);
          expect(layers * ms).toBeLessThanOrEqual(cores * BUDGET_MS * 1.01);
          expect(framesPerSecond).toBeLessThanOrEqual(1000 / ms + 0.5);
          if (layers > 0) expect(framesPerSecond).toBeGreaterThanOrEqual(23.7);
        },
      ),
      { numRuns: 20 },
    );
  });

  it('is estimated, and said to be, where it was not measured', () => {
    const known = capability(20, 16);
    const rig = withCores(strongRig({ decoders: [] }), 16);
    const found = capabilityOf(rig, source('a'), SHAPE, TUNING)!;
    expect([known.isEstimated, found.isEstimated]).toEqual([false, true]);
    expect(found.loads.decode).toBeNull();
    // What was not measured is not free.
    expect(found.framesPerSecond).toBeLessThan(capability(0.01, 16).framesPerSecond / 2);
  });

  it('is nothing of a source without a picture', () => {
    const sound = { ...source('a'), facts: { ...source('a').facts!, picture: null } };
    expect(capabilityOf(strongRig(), sound, SHAPE, TUNING)).toBeUndefined();
  });
});
