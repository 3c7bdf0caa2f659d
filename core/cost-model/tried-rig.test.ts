import { describe, expect, it } from 'vitest';
import { roughRig, SIMULATED_RIGS, type DecodeFigures } from '../machine/index.js';
import { decodeMs, triedRig } from './index.js';

const rough = roughRig(SIMULATED_RIGS[0]!.machine);
const known = rough.decoders.find(({ msPerFrame, decoder }) => msPerFrame && decoder === 'browser')!;

/** A trial of a source that the rough rig knows, on a machine that takes longer by a factor. */
function trial(factor: number, change: Partial<DecodeFigures> = {}): DecodeFigures {
  const { msPerFrame } = known;
  const value = factor * msPerFrame!.value;
  return {
    ...known,
    acceleration: 'software',
    msPerFrame: { ...msPerFrame!, value, low: value, high: value },
    ...change,
  };
}

describe('a rough rig after trials', () => {
  it('decodes as the trials did', () => {
    const rig = triedRig(rough, [trial(2)]);
    expect(rig.decoders).toHaveLength(1);
    const { width, height, bitsPerFrame, ...load } = known;
    const { ms } = decodeMs(rig, {
      ...load,
      megapixels: (width * height) / 1e6,
      megabits: bitsPerFrame / 1e6,
    });
    expect(ms / (2 * known.msPerFrame!.value)).toBeCloseTo(1, 1);
  });

  it('takes a machine that decodes half as fast to do all else half as fast', () => {
    const rig = triedRig(rough, [trial(2)]);
    const [before, after] = [rough, triedRig(rough, [trial(1)])].map(
      (each) => each.kernels[0]!.msPerMegapixel,
    );
    expect(after!.value / before!.value).toBeGreaterThan(0.7);
    expect(after!.value / before!.value).toBeLessThan(1.4);
    for (const [at, { msPerMegapixel }] of rig.kernels.entries()) {
      const once = triedRig(rough, [trial(1)]).kernels[at]!.msPerMegapixel.value;
      expect(msPerMegapixel.value / once).toBeCloseTo(2, 6);
    }
    expect(rig.shows[0]!.ms.value / triedRig(rough, [trial(1)]).shows[0]!.ms.value).toBeCloseTo(2, 6);
  });

  it('says nothing of the cores where hardware decoded, or nothing was decoded', () => {
    const hardware = triedRig(rough, [trial(0.1, { acceleration: 'hardware' })]);
    expect(hardware.kernels).toEqual(rough.kernels);
    const refused = trial(1, { msPerFrame: null, problem: 'not supported' });
    const after = triedRig(rough, [refused]);
    expect(after.decoders).toEqual([...rough.decoders, refused]);
    expect(after.kernels).toEqual(rough.kernels);
  });
});
