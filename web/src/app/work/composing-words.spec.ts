import { SIMULATED_RIGS, type Rig } from '@hone/core/machine';
import { describe, expect, it } from 'vitest';
import { composingNote, noGraphicsNote } from './composing-words';

const rig = SIMULATED_RIGS[0]!;
const figure = rig.kernels[0]!.msPerMegapixel;

/** A machine of which composing on both processors was measured. */
function measured(composeMs: number, graphics: Partial<Rig['graphics']>): Rig {
  return {
    ...rig,
    graphics: { ...rig.graphics, software: false, renderer: 'Some GPU', ...graphics },
    kernels: [
      ...rig.kernels,
      {
        ...{ stage: 'compose', kernel: 'compose two', on: 'graphics processor', of: 'result' },
        msPerMegapixel: { ...figure, value: composeMs },
      },
    ],
    shows: [...rig.shows, { ...rig.shows[1]!, on: 'graphics processor', ms: { ...figure, value: 1 } }],
  };
}

describe('what is said of composing', () => {
  it('is what was measured of both processors, or that nothing was', () => {
    expect(composingNote(null, 'processor')).toBe(
      'on the processor; not measured yet: measure this machine on the page Rig',
    );
    expect(composingNote(measured(10, {}), 'graphics processor')).toMatch(
      /^on the graphics processor, 6\.18 ms for two pictures of 960\s×\s540; the processor takes [\d.]+ ms$/,
    );
  });

  it('is why the graphics processor is not taken, and what would change that', () => {
    expect(noGraphicsNote(measured(0.1, {}))).toBeNull();
    const before = measured(0.1, {});
    const unmeasured = { ...before, kernels: before.kernels.filter(({ on }) => on === 'processor') };
    expect(noGraphicsNote(unmeasured)).toContain('Measure this machine on the page Rig');
    expect(noGraphicsNote(measured(100, {}))).toContain('the processor, which is quicker here');
    expect(noGraphicsNote(measured(0.1, { software: true, renderer: 'SwiftShader' }))).toMatch(
      /draws in software, .*Automatic never takes.*hardware acceleration/,
    );
    expect(noGraphicsNote(measured(0.1, { software: true, renderer: 'none' }))).toMatch(/gives none.*driver/);
  });
});
