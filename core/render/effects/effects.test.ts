import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  type Effect,
  type EffectValue,
  type Keyframe,
  type Timeline,
  emptyTimeline,
  valueAt,
} from '../../timeline/index.js';
import { rational } from '../../time/index.js';
import { rowExpression } from './expressions.js';
import {
  blackBody,
  colourCodes,
  colourFunction,
  definitionOf,
  EFFECT_KINDS,
  effectFault,
  effectsDone,
  fromLight,
  isOpaque,
  numberAt,
  pixelPasses,
  poseOf,
  recursionFor,
  seenAtPoint,
  shapesOf,
  numbersAt,
  timelineEffectFault,
  toLight,
  vignetteGain,
  whiteGains,
  type EffectKind,
  type KnownEffect,
} from './index.js';

const effect = (
  kind: EffectKind,
  values: Record<string, EffectValue> = {},
  keyframes?: Record<string, Keyframe[]>,
): KnownEffect => ({ id: kind, kind, enabled: true, values, ...(keyframes ? { keyframes } : {}) });

const none = () => undefined;

describe('colour effects', () => {
  it('code light as BT.709 does: 18 % is 0.409, and one way undoes the other', () => {
    expect(fromLight(0.18)).toBeCloseTo(0.409, 3);
    expect(fromLight(1)).toBeCloseTo(1, 6);
    fc.assert(
      fc.property(fc.double({ min: 0, max: 1, noNaN: true }), (value) => {
        expect(fromLight(toLight(value))).toBeCloseTo(value, 4);
      }),
    );
    // At the knee, where rounded constants would leave a gap.
    for (const value of [0.08099999999999999, 0.081, 0.0811, 0.08124])
      expect(fromLight(toLight(value))).toBeCloseTo(value, 9);
  });

  it('know the colour of a black body: 6504 K is near D65, and 2856 K is illuminant A (CIE 15)', () => {
    const [x, y] = blackBody(6504);
    expect(x).toBeCloseTo(0.3135, 3);
    expect(y).toBeCloseTo(0.3237, 3);
    const [xa, ya] = blackBody(2856);
    expect(Math.abs(xa - 0.4476)).toBeLessThan(0.001);
    expect(Math.abs(ya - 0.4074)).toBeLessThan(0.001);
  });

  it('double the light for each stop', () => {
    const [grey] = colourFunction(effect('exposure', { stops: 1 }), none)([0.4, 0.4, 0.4]);
    expect(toLight(grey)).toBeCloseTo(2 * toLight(0.4), 6);
  });

  it('leave white alone under the light of a monitor, and turn lamp light to white', () => {
    for (const gain of whiteGains(6504, 0)) expect(gain).toBeCloseTo(1, 6);
    const [red, , blue] = whiteGains(3200, 0);
    expect(red).toBeLessThan(1);
    expect(blue).toBeGreaterThan(1);
  });

  it('take all colour at no saturation, and leave luma: the weights of BT.709', () => {
    const [r, g, b] = colourFunction(effect('saturation', { saturation: 0 }), none)([1, 0.5, 0]);
    expect(r).toBeCloseTo(0.2126 + 0.5 * 0.7152, 6);
    expect([g, b]).toEqual([r, r]);
  });

  it('become one table of video codes: black 16, white 235, red 63 102 240 (BT.709, 8 bits)', () => {
    const codes = colourCodes([effect('contrast')], none);
    const at = (r: number, g: number, b: number): number[] => {
      const from = 4 * (r + 33 * (g + 33 * b));
      return [...codes.subarray(from, from + 3)].map(Math.round);
    };
    expect(at(0, 0, 0)).toEqual([16, 128, 128]);
    expect(at(32, 32, 32)).toEqual([235, 128, 128]);
    expect(at(32, 0, 0)).toEqual([63, 102, 240]);
  });
});

describe('lengths', () => {
  it('follow the picture: at half the size the blur is half as wide', () => {
    const blur = [effect('blur', { radius: 2 })];
    const [large] = pixelPasses(blur, { width: 1920, height: 1080 });
    const [small] = pixelPasses(blur, { width: 960, height: 540 });
    expect(large).toMatchObject({ kind: 'blur', deviation: 21.6 });
    expect(small).toMatchObject({ kind: 'blur', deviation: 10.8 });
  });

  it('of a blur are its deviation: the recursion spreads a point with the variance of the bell curve', () => {
    for (const deviation of [0.8, 2, 7, 30]) {
      const { share, scale } = recursionFor(deviation);
      let line = new Float64Array(601);
      line[300] = 1;
      for (let pass = 0; pass < 4; pass++) {
        for (let at = 1; at < line.length; at++) line[at]! += share * line[at - 1]!;
        for (let at = line.length - 2; at >= 0; at--) line[at]! += share * line[at + 1]!;
      }
      line = line.map((value) => value * Math.sqrt(scale));
      const sum = line.reduce((total, value) => total + value, 0);
      const variance = line.reduce((total, value, at) => total + value * (at - 300) ** 2, 0) / sum;
      expect(sum).toBeCloseTo(1, 2);
      expect(Math.sqrt(variance) / deviation).toBeCloseTo(1, 1);
    }
  });

  it('of a vignette lose what is said in the corners and nothing in the middle', () => {
    expect(vignetteGain(2, 0)).toBe(1);
    // A stop is half the light, and coded values follow light with the exponent 0.45.
    expect(vignetteGain(2, 1) ** (1 / 0.45)).toBeCloseTo(0.25, 6);
  });
});

describe('where a picture stands', () => {
  const FULL = { width: 1920, height: 1080 };

  it('is told by even pixels when it neither turns nor moves, and covers the frame when it is to fill it', () => {
    const half = poseOf([effect('transform', { scale: 50, across: 25 })], FULL, FULL);
    expect(half.placement).toEqual({ x: 960, y: 270, width: 960, height: 540 });
    const tall = { width: 1080, height: 1920 };
    expect(poseOf([], tall, FULL).placement).toMatchObject({ width: 608, height: 1080 });
    const filled = poseOf([], tall, FULL, 'fill').placement!;
    expect(filled.width).toBe(1920);
    expect(filled.y).toBeLessThan(0);
  });

  it('does not depend on the number of pixels', () => {
    fc.assert(
      fc.property(fc.integer({ min: -90, max: 90 }), fc.integer({ min: 10, max: 150 }), (across, scale) => {
        const effects = [effect('transform', { across, scale })];
        const large = poseOf(effects, FULL, FULL).placement!;
        const small = poseOf(effects, FULL, { width: 480, height: 270 }).placement!;
        expect(Math.abs(large.x / 4 - small.x)).toBeLessThanOrEqual(2);
        expect(Math.abs(large.width / 4 - small.width)).toBeLessThanOrEqual(2);
      }),
    );
  });

  it('is cut by shapes: half is seen on their edge, all inside, nothing outside', () => {
    const mask = [effect('mask', { shape: 'rectangle', width: 50, height: 50, feather: 2 })];
    const shapes = shapesOf(mask, FULL, numbersAt(0));
    expect(seenAtPoint(shapes, 960, 540)).toBe(1);
    expect(seenAtPoint(shapes, 480, 540)).toBeCloseTo(0.5, 6);
    expect(seenAtPoint(shapes, 100, 540)).toBe(0);
    const turned = shapesOf([effect('mask', { ...mask[0]!.values, side: 'outside' })], FULL, numbersAt(0));
    expect(seenAtPoint(turned, 960, 540)).toBe(0);
  });

  it('hides what is below only when nothing of it is cut or let through', () => {
    expect(isOpaque([effect('blur')])).toBe(true);
    expect(isOpaque([effect('mask')])).toBe(false);
    expect(isOpaque([effect('transform', { opacity: 99 })])).toBe(false);
    expect(isOpaque([effect('transform', { cropTop: 1 })])).toBe(false);
  });
});

describe('keyframes', () => {
  const ease = fc.constantFrom('linear' as const, 'smooth' as const, 'hold' as const);
  const rows = fc
    .uniqueArray(fc.integer({ min: -50, max: 200 }), { minLength: 1, maxLength: 6 })
    .chain((frames) =>
      fc
        .array(fc.record({ value: fc.integer({ min: -100, max: 100 }), ease }), {
          minLength: frames.length,
          maxLength: frames.length,
        })
        .map((points) =>
          [...frames].sort((a, b) => a - b).map((frame, index): Keyframe => ({ frame, ...points[index]! })),
        ),
    );

  /** An expression of ffmpeg, worked out here: `if`, `lt` and arithmetic mean the same in JavaScript. */
  const workedOut = (expression: string, n: number): number => {
    const text = expression.replaceAll('if(', 'choose(');

    return new Function('N', 'choose', 'lt', `return ${text}`)(
      n,
      (condition: number, yes: number, no: number) => (condition ? yes : no),
      (a: number, b: number) => (a < b ? 1 : 0),
    ) as number;
  };

  it('mean the same to the export as to the preview', () => {
    fc.assert(
      fc.property(rows, fc.integer({ min: -60, max: 220 }), (row, frame) => {
        expect(workedOut(rowExpression(row, 'N'), frame)).toBeCloseTo(valueAt(row, frame), 4);
      }),
    );
  });

  it('nest so little that ffmpeg takes any number of them', () => {
    const row = Array.from({ length: 1000 }, (_, at): Keyframe => ({
      frame: 2 * at,
      value: at,
      ease: 'smooth',
    }));
    const expression = rowExpression(row, 'N');
    let [depth, deepest] = [0, 0];
    for (const letter of expression) {
      depth += Number(letter === '(') - Number(letter === ')');
      deepest = Math.max(deepest, depth);
    }
    expect(deepest).toBeLessThan(30);
    for (const frame of [-5, 0, 1, 777, 1998, 5000])
      expect(workedOut(expression, frame)).toBeCloseTo(valueAt(row, frame), 4);
  });

  it('stand still before the first and behind the last', () => {
    const row: Keyframe[] = [
      { frame: 10, value: 1, ease: 'linear' },
      { frame: 20, value: 3, ease: 'smooth' },
    ];
    expect([0, 10, 15, 20, 99].map((frame) => valueAt(row, frame))).toEqual([1, 1, 2, 3, 3]);
  });
});

describe('what is said about an effect', () => {
  it('has a range in which its usual value lies, and a name, for every parameter', () => {
    for (const kind of EFFECT_KINDS) {
      expect(effectFault(effect(kind))).toBeUndefined();
      for (const parameter of Object.values(definitionOf(kind).parameters)) {
        expect(parameter.name).not.toBe('');
        if (parameter.kind !== 'number') continue;
        expect(parameter.usual).toBeGreaterThanOrEqual(parameter.least);
        expect(parameter.usual).toBeLessThanOrEqual(parameter.most);
      }
    }
  });

  it('is refused in a sentence that names what is wrong', () => {
    expect(effectFault(effect('blur', { radius: 21 }))).toMatch(/Gaussian blur: radius must be less than/);
    expect(effectFault(effect('blur', { depth: 1 }))).toMatch(/no parameter depth/);
    expect(effectFault({ ...effect('blur'), kind: 'glow' })).toMatch(/no effect "glow"/);
    const row: Keyframe[] = [{ frame: 0, value: 1, ease: 'hold' }];
    expect(effectFault(effect('blur', {}, { radius: row }))).toMatch(/cannot change along the clip/);
    expect(effectFault(effect('mask', {}, { opacity: [{ ...row[0]!, value: 300 }] }))).toMatch(
      /between 0 and 100/,
    );
  });

  it('is told with its clip', () => {
    const timeline = emptyTimeline(rational(24), { width: 640, height: 360 });
    const clip = (effects: readonly Effect[]): Timeline => ({
      ...timeline,
      tracks: timeline.tracks.map((track, index) =>
        index > 0
          ? track
          : {
              ...track,
              clips: [
                {
                  id: 'c',
                  name: 'Wheel pit',
                  sourceId: 's',
                  start: 0,
                  length: 10,
                  sourceIn: rational(0),
                  enabled: true,
                  effects,
                },
              ],
            },
      ),
    });
    expect(timelineEffectFault(clip([effect('grain')]))).toBeUndefined();
    expect(timelineEffectFault(clip([effect('grain', { deviation: 99 })]))).toMatch(
      /Clip "Wheel pit": Film grain/,
    );
    expect(timelineEffectFault(clip([effect('transform'), effect('transform')]))).toMatch(/one transform/);
  });

  it('keeps values within their range, and leaves out what is off or unknown', () => {
    expect(numberAt(effect('blur', { radius: 999 }), 'radius')).toBe(20);
    const off = { ...effect('blur'), enabled: false };
    expect(effectsDone([off, { ...off, enabled: true, kind: 'glow' }, effect('grain')])).toHaveLength(1);
  });
});
