import {
  colourCodes,
  numberAt,
  pixelPasses,
  recursionFor,
  textOf,
  TABLE_STEPS,
  vignetteGain,
  videoColour,
  type KnownEffect,
  type PixelPass,
  type VideoColour,
} from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import type { Kernels } from '../shared/kernels.js';
import { aligned, alphasAt, planarAt, planarBytes, type Plane, type Planes } from '../shared/picture.js';
import { titlePicture } from '../shared/title-picture.js';
import type { EffectFiles } from './effect-files.js';
import { grainTile, tileOffset, TILE_SIDE } from './grain-tile.js';

const TABLE_BYTES = 16 * TABLE_STEPS ** 3;
const TILE_BYTES = 2 * TILE_SIDE ** 2;

// Room of the blur kernel, and two planes for what it gives out: of luma and of alpha.
const softBytes = ({ width, height }: FrameSize): number => aligned(width * height);
const passingBytes = (raster: FrameSize): number => 2 * softBytes(raster) + workBytes(raster);
const workBytes = ({ width, height }: FrameSize): number =>
  aligned(4 * (width + 4) * (height + 8) + 16 * (width + 8));

const keptBytes = ({ kind }: PixelPass, raster: FrameSize): number => {
  if (kind === 'colour') return aligned(TABLE_BYTES);
  if (kind === 'grain') return aligned(TILE_BYTES);
  return kind === 'title' || kind === 'vignette' ? aligned(planarBytes(raster.width, raster.height)) : 0;
};

/** Room that the effects of a picture need; 0 when there are none that change pixels. */
export function effectBytes(effects: readonly KnownEffect[], raster: FrameSize): number {
  const steps = pixelPasses(effects, raster);
  if (steps.length === 0) return 0;
  const kept = steps.reduce((sum, step) => sum + keptBytes(step, raster), 0);
  return passingBytes(raster) + kept;
}

/** Values of luma, blue and red difference that weigh nothing. */
const MIDDLES = [0, 128, 128] as const;

/** Does the effects of pictures in the shared memory, step by step, and keeps what they are prepared with. */
export class PictureEffects {
  private readonly kept = new Map<string, number>();
  private address = 0;
  private end = 0;
  private next = 0;

  constructor(
    private readonly memory: WebAssembly.Memory,
    private readonly kernels: Kernels,
    private readonly files: EffectFiles,
  ) {}

  /** @param bytes at least `effectBytes` of the picture that needs most */
  setRoom(address: number, bytes: number): void {
    this.kept.clear();
    this.address = address;
    this.next = address;
    this.end = address + bytes;
  }

  /**
   * @param at frame of the clip, for what changes along it
   * @param picture address of a picture of 8-bit 4:2:0 samples, which is changed in place
   * @param hasAlpha whether its alpha follows it in memory; a blur includes it, and a title adds to it
   */
  apply(
    effects: readonly KnownEffect[],
    at: number,
    picture: number,
    raster: FrameSize,
    hasAlpha = false,
  ): void {
    for (const step of pixelPasses(effects, raster)) this.do(step, at, picture, raster, hasAlpha);
  }

  private do(step: PixelPass, at: number, picture: number, raster: FrameSize, hasAlpha: boolean): void {
    const { kernels } = this;
    const [luma, blue, red] = planarAt(picture, raster.width, raster.height);
    const { width, height } = luma;
    const alphas = hasAlpha ? alphasAt(picture, raster) : null;
    switch (step.kind) {
      case 'colour': {
        const table = this.keep(step, raster, (address) => {
          const codes = colourCodes(step.effects, this.files.tableOf);
          new Float32Array(this.memory.buffer, address, codes.length).set(codes);
        });
        kernels.colourPicture(luma.address, blue.address, red.address, width, height, table);
        return;
      }
      case 'blur':
        this.blurPicture([luma, blue, red], alphas, step.deviation, raster);
        return;
      case 'sharpen': {
        const soft = this.address;
        this.soften(luma, soft, alphas, step.deviation, raster);
        kernels.sharpenPlane(luma.address, soft, width * height, Math.round(256 * step.amount));
        return;
      }
      case 'vignette': {
        const mask = this.keep(step, raster, (address) => this.drawVignette(step.loss, address, raster));
        this.cover(picture, mask, [16, 128, 128], raster, 1);
        return;
      }
      case 'grain': {
        const tile = this.keep(step, raster, (address) => {
          const values = grainTile(step.deviation, step.cell);
          new Int16Array(this.memory.buffer, address, values.length).set(values);
        });
        kernels.grainPlane(luma.address, width, height, tile, ...tileOffset(at));
        return;
      }
      case 'title': {
        const still = { ...step.effect, keyframes: {} };
        const mask = this.keep({ ...step, effect: still }, raster, (address) =>
          this.drawTitle(step.effect, address, raster),
        );
        const colour = videoColour(textOf(step.effect, 'colour'));
        const opacity = numberAt(step.effect, 'opacity', at) / 100;
        if (alphas) this.coverWithAlpha([luma, blue, red], alphas, mask, colour, raster, opacity);
        else this.cover(picture, mask, colour, raster, opacity);
      }
    }
  }

  private blur(
    { address, width, height }: Plane,
    target: number,
    deviation: number,
    raster: FrameSize,
  ): void {
    const { share, border, scale } = recursionFor(deviation);
    const work = this.address + 2 * softBytes(raster);
    this.kernels.blurPlane(address, target, width, height, share, border, scale, work);
  }

  /** Blurs in place; colours by the weight of their alpha, so that nothing bleeds in from where nothing is seen. */
  private blurPicture(
    planes: Planes,
    alphas: readonly [Plane, Plane] | null,
    deviation: number,
    raster: FrameSize,
  ): void {
    const deviations = [deviation, deviation / 2, deviation / 2] as const;
    const weights = alphas && ([alphas[0], alphas[1], alphas[1]] as const);
    planes.forEach((plane, index) => {
      if (weights) this.weigh(plane, weights[index]!, index);
      this.blur(plane, plane.address, deviations[index]!, raster);
    });
    if (!weights) return;
    weights.slice(0, 2).forEach((plane, index) => {
      this.blur(plane, plane.address, deviations[index]!, raster);
    });
    planes.forEach((plane, index) => {
      const { address, width, height } = plane;
      this.kernels.unweightPlane(address, weights[index]!.address, width * height, MIDDLES[index]!);
    });
  }

  private weigh({ address, width, height }: Plane, alpha: Plane, index: number): void {
    this.kernels.weightPlane(address, alpha.address, width * height, MIDDLES[index]!);
  }

  /** A blurred copy of luma, by the weight of its alpha. */
  private soften(
    luma: Plane,
    target: number,
    alphas: readonly [Plane, Plane] | null,
    deviation: number,
    raster: FrameSize,
  ): void {
    if (!alphas) return this.blur(luma, target, deviation, raster);
    const count = luma.width * luma.height;
    new Uint8Array(this.memory.buffer).copyWithin(target, luma.address, luma.address + count);
    this.weigh({ ...luma, address: target }, alphas[0], 0);
    this.blur({ ...luma, address: target }, target, deviation, raster);
    const blurred = this.address + softBytes(raster);
    this.blur(alphas[0], blurred, deviation, raster);
    this.kernels.unweightPlane(target, blurred, count, MIDDLES[0]);
  }

  /** One colour over a picture with alpha, which becomes as opaque as both together. */
  private coverWithAlpha(
    planes: Planes,
    [full, half]: readonly [Plane, Plane],
    mask: number,
    colour: VideoColour,
    raster: FrameSize,
    opacity: number,
  ): void {
    const masks = planarAt(mask, raster.width, raster.height);
    const gain = Math.round(256 * opacity);
    const [fullShare, halfShare] = [this.address, this.address + softBytes(raster)];
    const count = (plane: Plane): number => plane.width * plane.height;
    this.kernels.unionAlpha(full.address, masks[0].address, gain, fullShare, count(full));
    this.kernels.unionAlpha(half.address, masks[1].address, gain, halfShare, count(half));
    planes.forEach((plane, index) => {
      const share = index === 0 ? fullShare : halfShare;
      this.kernels.coverPlane(plane.address, colour[index]!, share, count(plane), 256);
    });
  }

  private cover(
    picture: number,
    mask: number,
    colour: VideoColour,
    raster: FrameSize,
    opacity: number,
  ): void {
    const planes = planarAt(picture, raster.width, raster.height);
    const [full, half] = planarAt(mask, raster.width, raster.height);
    const gain = Math.round(256 * opacity);
    planes.forEach(({ address, width, height }, index) => {
      const alpha = index === 0 ? full.address : half.address;
      this.kernels.coverPlane(address, colour[index]!, alpha, width * height, gain);
    });
  }

  private drawVignette(loss: number, address: number, { width, height }: FrameSize): void {
    const bytes = new Uint8Array(this.memory.buffer, address, width * height);
    const radius = Math.hypot(width, height) / 2;
    for (let y = 0, at = 0; y < height; y++) {
      for (let x = 0; x < width; x++, at++) {
        const distance = Math.hypot(x + 0.5 - width / 2, y + 0.5 - height / 2) / radius;
        bytes[at] = Math.round(255 * (1 - vignetteGain(loss, distance)));
      }
    }
    this.halve(address, { width, height });
  }

  private drawTitle(effect: KnownEffect, address: number, raster: FrameSize): void {
    const { data } = titlePicture(effect, this.files.font, raster);
    const bytes = new Uint8Array(this.memory.buffer, address, raster.width * raster.height);
    for (let at = 0; at < bytes.length; at++) bytes[at] = data[4 * at + 3]!;
    this.halve(address, raster);
  }

  // Chroma is covered as much as the four pixels that share it.
  private halve(address: number, { width, height }: FrameSize): void {
    const half = address + width * height;
    this.kernels.reduceBox(address, width, half, width >> 1, height >> 1, 2);
  }

  /** The address of what a step needs, made when it is not there. */
  private keep(step: PixelPass, raster: FrameSize, make: (address: number) => void): number {
    const key = JSON.stringify([step, raster]);
    const known = this.kept.get(key);
    if (known !== undefined) return known;
    const first = this.address + passingBytes(raster);
    const bytes = keptBytes(step, raster);
    // Tables for several picture sizes follow the working memory of the largest one so far.
    if (this.next < first || this.next + bytes > this.end) {
      this.kept.clear();
      this.next = first;
    }
    const address = this.next;
    make(address);
    this.next += bytes;
    this.kept.set(key, address);
    return address;
  }
}
