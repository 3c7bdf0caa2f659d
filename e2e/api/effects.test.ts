import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { readCube } from '@hone/core/interchange';
import { layerFilters, sizedLayer, type EffectKind, type KnownEffect, type Mix } from '@hone/core/render';
import { sourceFacts } from '@hone/core/testing';
import { rational } from '@hone/core/time';
import { TRANSITION_KINDS, type Framing } from '@hone/core/timeline';
import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import {
  CURVE_TABLE,
  EFFECT_SETTINGS,
  effectOf,
  WARM_TABLE,
  type EffectSetting,
} from '../fixtures/effect-cases.js';
import { psnr } from '../fixtures/likeness.js';
import { PreviewFrame, type PreviewLayer } from '@hone/player/testing';

const KERNELS = new URL('../../player/dist/assets/kernels.wasm', import.meta.url);
const SIZE = { width: 384, height: 216 };
const FRAME_BYTES = (SIZE.width * SIZE.height * 3) / 2;
const RATE = rational(24);
const PICTURES = ['drawn scene', 'ramps', 'noise'] as const;

/** The player's own functions against the export's own filters, on pictures that no decoder has touched. */
describe('preview and export', () => {
  const folder = mkdtempSync(join(tmpdir(), 'hone-effects-'));
  const tables = new Map([
    [WARM_TABLE, warmTable()],
    [CURVE_TABLE, curveTable()],
  ]);
  const tableFile = (id: string): string => join(folder, `table ${id.slice(0, 1)}, o'one.cube`);
  const read = new Map([...tables].map(([id, text]) => [id, readCube(text)]));
  let pictures: Uint8Array[];
  let ground: Uint8Array;
  let preview: PreviewFrame;

  beforeAll(async () => {
    for (const [id, text] of tables) writeFileSync(tableFile(id), text);
    const sources = [
      'testsrc2=s=384x216',
      "color=s=384x216,geq=lum='16+219*X/W':cb='16+224*Y/H':cr='240-224*X/W'",
      "color=s=384x216,geq=lum='16+random(0)*219':cb='64+random(1)*128':cr='64+random(2)*128'",
    ];
    pictures = sources.map((source) => raw(['-f', 'lavfi', '-i', source, '-frames:v', '1']));
    ground = raw([
      '-f',
      'lavfi',
      '-i',
      "color=s=384x216,geq=lum='40+80*Y/H':cb=140:cr=110",
      '-frames:v',
      '1',
    ]);
    writeFileSync(join(folder, 'pictures.yuv'), Buffer.concat(pictures));
    writeFileSync(join(folder, 'ground.yuv'), ground);
    preview = await PreviewFrame.open(readFileSync(KERNELS), read);
  });

  afterAll(() => rmSync(folder, { recursive: true }));

  const raw = (args: string[]): Uint8Array =>
    execFileSync('ffmpeg', ['-v', 'error', ...args, '-pix_fmt', 'yuv420p', '-f', 'rawvideo', '-'], {
      maxBuffer: 2 ** 28,
    });

  /** Three frames of the export: the pictures one after the other, over the ground. */
  function exported(
    effects: readonly KnownEffect[],
    mix: Mix | null = null,
    framing: Framing = 'fit',
  ): Uint8Array[] {
    const facts = sourceFacts({ size: SIZE });
    const layer = {
      clipId: 'c',
      sourceId: 's',
      clipStart: 0,
      sourceIn: rational(0),
      speed: rational(1),
      effects,
      framing,
      mix,
    };
    const drawings: string[] = [];
    const assets = {
      tableOf: (id: string) => read.get(id),
      tableFile,
      font: () => [],
      drawing: (svg: string) => `${drawings.push(svg) + 1}:v`,
    };
    const piece = { name: 'p', rate: RATE, at: 0, frames: 3 };
    const plain = { ...layer, effects: [], framing: 'fit' as const, mix: null };
    const below = sizedLayer(
      '1:v',
      'loop=loop=-1:size=1,trim=end_frame=3',
      plain,
      facts,
      SIZE,
      { ...piece, name: 'g' },
      assets,
    );
    const sized = sizedLayer('0:v', 'null', layer, facts, SIZE, piece, assets);
    const bases: string[] = [];
    const newBase = (): string => {
      bases.push(`color=black:s=384x216:r=24,trim=end_frame=3,format=yuv420p,setpts=N/24/TB[base]`);
      return 'base';
    };
    const frames = { ...SIZE, from: 0, count: 3, rate: RATE };
    const put = layerFilters([below.layer, sized.layer], newBase, frames, 'l');
    const filters = [...bases, ...below.filters, ...sized.filters, ...put.filters];
    const input = (name: string): string[] => [
      '-f',
      'rawvideo',
      '-pix_fmt',
      'yuv420p',
      '-s',
      '384x216',
      '-r',
      '24',
      '-i',
      join(folder, name),
    ];
    const bytes = raw([
      ...input('pictures.yuv'),
      ...input('ground.yuv'),
      '-filter_complex',
      filters.join(';'),
      '-map',
      `[${put.label}]`,
    ]);
    expect(bytes).toHaveLength(3 * FRAME_BYTES);
    return PICTURES.map((_, index) => bytes.subarray(index * FRAME_BYTES, (index + 1) * FRAME_BYTES));
  }

  /** The same of the player. */
  const previewed = (effects: readonly KnownEffect[], mix?: Mix, framing: Framing = 'fit'): Uint8Array[] =>
    pictures.map((picture, at) => {
      const below: PreviewLayer = { picture: ground, size: SIZE, effects: [], at };
      const layer = { picture, size: SIZE, effects, at, framing, ...(mix ? { mix } : {}) };
      return preview.make([below, layer], SIZE, at);
    });

  function compare(shown: readonly Uint8Array[], made: readonly Uint8Array[], name: string): void {
    PICTURES.forEach((picture, index) => {
      if (process.env['SHOWPSNR'])
        console.log('PSNR', psnr(shown[index]!, made[index]!).toFixed(1), name, picture);
      expect.soft(psnr(shown[index]!, made[index]!), `${name} on ${picture}`).toBeGreaterThan(40);
    });
  }

  it('give the same picture where nothing is done', () => {
    exported([]).forEach((frame, index) => expect(psnr(frame, pictures[index]!)).toBeGreaterThan(90));
    previewed([]).forEach((frame, index) => expect(psnr(frame, pictures[index]!)).toBeGreaterThan(90));
  });

  const cases = Object.entries(EFFECT_SETTINGS) as [EffectKind, readonly EffectSetting[]][];

  it.each(cases)('agree on %s', (kind, settings) => {
    for (const setting of settings) {
      const effects = [effectOf(kind, setting)];
      const shown = previewed(effects);
      compare(shown, exported(effects), `${kind} ${JSON.stringify(setting)}`);
      // It does something: otherwise the comparison would say nothing.
      expect(Math.min(...shown.map((frame, index) => psnr(frame, pictures[index]!)))).toBeLessThan(48);
    }
  });

  it('agree on pictures of another size than their frame', () => {
    for (const setting of [
      [{ scale: 50 }],
      [{ scale: 130, across: -7 }],
      [{ scale: 40, rotation: 15 }],
    ] as const) {
      const effects = [effectOf('transform', setting)];
      compare(previewed(effects), exported(effects), JSON.stringify(setting));
    }
  });

  it('agree on effects one after the other, in their order', () => {
    const done = [
      effectOf('exposure', [{ stops: 0.5 }]),
      effectOf('blur', [{ radius: 0.8 }]),
      effectOf('table', [{ table: WARM_TABLE, strength: 70 }]),
      effectOf('vignette', [{ stops: 1.2 }]),
      effectOf('mask', [{ feather: 25, width: 80, height: 80 }]),
      effectOf('transform', [{ rotation: 8, opacity: 90 }]),
    ];
    compare(previewed(done), exported(done), 'all');
    const [first, second, ...rest] = done;
    const turned = [...rest.slice(0, 1), second!, first!, ...rest.slice(1)];
    compare(previewed(turned), exported(turned), 'all, turned');
    expect(psnr(previewed(done)[0]!, previewed(turned)[0]!)).toBeLessThan(40);
  });

  const turned = effectOf('transform', [{ rotation: 20, scale: 70, opacity: 85 }]);
  const moved = effectOf('transform', [{ scale: 60, across: 12, down: -8, opacity: 90 }]);
  const moving = effectOf('transform', [
    { scale: 50 },
    {
      across: [
        { frame: 0, value: -20, ease: 'linear' },
        { frame: 2, value: 20, ease: 'linear' },
      ],
    },
  ]);
  const oval = effectOf('mask', [{ feather: 10, width: 60, height: 70 }]);
  const box = effectOf('mask', [{ shape: 'rectangle', width: 50, height: 50, feather: 4, opacity: 90 }]);
  const blur = effectOf('blur', [{ radius: 2 }]);
  const sharpen = effectOf('sharpen', [{ amount: 120, radius: 1 }]);
  const vignette = effectOf('vignette', [{ stops: 2 }]);
  const exposure = effectOf('exposure', [{ stops: 0.7 }]);

  it.each([
    ['a blur of a masked picture', [oval, blur]],
    ['a blur of a turned picture', [turned, blur]],
    ['a blur of a moved picture', [moved, blur]],
    ['sharpening of a masked and turned picture', [oval, turned, sharpen]],
    ['a vignette over the frame of a moved picture', [moved, vignette, exposure]],
    ['a mask that stays while the picture moves', [moving, box]],
    ['a mask before and one after a transform', [oval, turned, box, blur]],
    ['three stages', [box, blur, moving, vignette, oval, blur]],
  ])('agree on %s', (name, effects) => {
    compare(previewed(effects), exported(effects), name);
    const sorted = [...effects].sort((a, b) => rank(a) - rank(b));
    expect(psnr(previewed(effects)[0]!, previewed(sorted)[0]!), 'the order matters').toBeLessThan(50);
  });

  it('agree on effects in random orders', () => {
    const seed = Number(process.env['SEED'] ?? Math.floor(Math.random() * 1e9));
    fc.assert(
      fc.property(
        fc.shuffledSubarray([turned, oval, box, blur, sharpen, vignette, exposure], { minLength: 3 }),
        (effects) => {
          const [shown, made] = [previewed(effects), exported(effects)];
          shown.forEach((frame, index) => {
            const name = `${effects.map(({ kind }) => kind).join(', ')} on ${PICTURES[index]!}`;
            expect(psnr(frame, made[index]!), name).toBeGreaterThan(38);
          });
        },
      ),
      { seed, numRuns: 12, endOnFailure: true },
    );
  });

  it.each(TRANSITION_KINDS)('agree on every frame of a %s between pictures with effects', (kind) => {
    const mix: Mix = { kind, from: 0, to: 3, colour: '#2a6f4e' };
    const effects = [effectOf('mask', [{ feather: 20 }])];
    compare(previewed(effects, mix), exported(effects, mix), kind);
  });

  it.each([0.2, 0.46, 1.5])('agree on the statistics of grain of %s per cent', (size) => {
    const effects = [effectOf('grain', [{ deviation: 8, size }])];
    const facts = [previewed(effects), exported(effects)].map((frames) => grainFacts(frames, pictures));
    const [shown, made] = facts as [GrainFacts, GrainFacts];
    // Coarse grain has fewer grains in a picture, so that their mean lies further from nothing.
    for (const { mean } of facts) expect(Math.abs(mean)).toBeLessThan(0.4 + size / 4);
    expect(shown.deviation / made.deviation).toBeGreaterThan(0.92);
    expect(shown.deviation / made.deviation).toBeLessThan(1.08);
    expect(Math.abs(shown.neighbours - made.neighbours)).toBeLessThan(0.1);
    for (const { frames } of facts) expect(Math.abs(frames)).toBeLessThan(0.1);
  });
});

function warmTable(): string {
  const rows = ['TITLE "Warm"', 'LUT_3D_SIZE 5'];
  const at = (index: number): number => index / 4;
  for (let b = 0; b < 5; b++)
    for (let g = 0; g < 5; g++)
      for (let r = 0; r < 5; r++)
        rows.push(
          `${(at(r) ** 0.8).toFixed(5)} ${(0.1 + 0.8 * at(g)).toFixed(5)} ${(at(b) * at(b) * 0.9 + 0.05 * at(r)).toFixed(5)}`,
        );
  return rows.join('\n');
}

function curveTable(): string {
  const rows = ['LUT_1D_SIZE 17'];
  for (let step = 0; step < 17; step++) {
    const share = step / 16;
    const curved = share * share * (3 - 2 * share);
    rows.push(`${curved.toFixed(5)} ${share.toFixed(5)} ${(0.2 + 0.7 * share).toFixed(5)}`);
  }
  return rows.join('\n');
}

const rank = ({ kind }: KnownEffect): number => ['mask', 'transform'].indexOf(kind);

interface GrainFacts {
  readonly mean: number;
  readonly deviation: number;
  /** Correlation of samples beside each other, and of the same sample in the next frame. */
  readonly neighbours: number;
  readonly frames: number;
}

/** What grain has added to the luma of the ramps and of the drawn scene, where nothing was clipped. */
function grainFacts(frames: readonly Uint8Array[], plain: readonly Uint8Array[]): GrainFacts {
  const luma = SIZE.width * SIZE.height;
  const isFree = (at: number): boolean =>
    [0, 1].every((index) => plain[index]![at]! > 40 && plain[index]![at]! < 215);
  const added = [0, 1].map((index) =>
    Float64Array.from({ length: luma }, (_, at) => frames[index]![at]! - plain[index]![at]!),
  );
  let [count, sum, squares, beside, later] = [0, 0, 0, 0, 0];
  for (let at = 0; at + 1 < luma; at++) {
    if (!isFree(at) || !isFree(at + 1)) continue;
    const [a, b] = added as [Float64Array, Float64Array];
    count++;
    sum += a[at]!;
    squares += a[at]! ** 2;
    beside += a[at]! * a[at + 1]!;
    later += a[at]! * b[at]!;
  }
  const variance = squares / count;
  return {
    mean: sum / count,
    deviation: Math.sqrt(variance),
    neighbours: beside / count / variance,
    frames: later / count / variance,
  };
}
