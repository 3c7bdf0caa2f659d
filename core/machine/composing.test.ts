import { describe, expect, it } from 'vitest';
import {
  automaticComposing,
  COMPOSE_TWO,
  COMPOSED_SIZE,
  composingMs,
  composingOn,
  SIMULATED_RIGS,
  type Rig,
} from './index.js';

const [
  {
    kernels: [{ msPerMegapixel: figure }],
  },
] = SIMULATED_RIGS as [Rig & { kernels: [Rig['kernels'][number]] }];

/** A machine that composes two pictures of a megapixel in some ms, and shows one of 960 x 540 in some more. */
function machine(
  software: boolean,
  ...figures: readonly (readonly [
    on: 'processor' | 'graphics processor',
    composeMs: number,
    showMs: number,
  ])[]
): Pick<Rig, 'graphics' | 'kernels' | 'shows'> {
  return {
    graphics: { renderer: software ? 'SwiftShader' : 'Some GPU', software, stronger: null, displayHz: 60 },
    kernels: figures.map(([on, value]) => ({
      ...{ stage: 'compose', kernel: COMPOSE_TWO, on, of: 'result' },
      msPerMegapixel: { ...figure, value },
    })),
    shows: figures.map(([on, , value]) => ({
      ...COMPOSED_SIZE,
      on,
      ms: { ...figure, value },
      presentMs: undefined,
    })),
  };
}

describe('what composes frames', () => {
  it('is what composes and shows them sooner, as measured', () => {
    const quick = machine(false, ['processor', 2, 9], ['graphics processor', 1, 1]);
    // 960 x 540 are 0.5184 megapixels.
    expect(composingMs(quick, 'processor')).toBeCloseTo(2 * 0.5184 + 9, 9);
    expect(composingMs(quick, 'graphics processor')).toBeCloseTo(0.5184 + 1, 9);
    expect(automaticComposing(quick)).toBe('graphics processor');
    // Quicker to compose, but what is composed takes long to reach the screen.
    expect(automaticComposing(machine(false, ['processor', 2, 3], ['graphics processor', 1, 30]))).toBe(
      'processor',
    );
  });

  it('is never a renderer in software, unless it was chosen', () => {
    const software = machine(true, ['processor', 5, 9], ['graphics processor', 1, 1]);
    expect(automaticComposing(software)).toBe('processor');
    expect(composingOn(software, undefined)).toBe('processor');
    expect(composingOn(software, 'graphics processor')).toBe('graphics processor');
  });

  it('is the processor where nothing was measured, or the browser gives nothing else', () => {
    expect(automaticComposing(machine(false))).toBe('processor');
    expect(automaticComposing(machine(false, ['processor', 2, 9]))).toBe('processor');
    const none = {
      ...machine(true),
      graphics: { renderer: 'none', software: true, stronger: null, displayHz: 60 },
    };
    expect(composingOn(none, 'graphics processor')).toBe('processor');
    expect(composingMs(machine(false, ['processor', 2, 9]), 'graphics processor')).toBeUndefined();
  });

  it('is read from figures from before it could be chosen', () => {
    const before = machine(false, ['processor', 2, 9]);
    const shows = before.shows.map((show) => ({ ...show, on: undefined }));
    expect(composingMs({ ...before, shows }, 'processor')).toBeCloseTo(2 * 0.5184 + 9, 9);
  });
});
