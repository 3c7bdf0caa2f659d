import {
  blurWeights,
  colourCodes,
  numberAt,
  pixelPasses,
  TABLE_STEPS,
  textOf,
  vignetteBend,
  VIGNETTE_POWER,
  videoColour,
  type KnownEffect,
  type PixelPass,
} from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import type { EffectFiles } from '../decode/effect-files.js';
import { grainTile, TILE_SIDE, tileOffset } from '../decode/grain-tile.js';
import { titlePicture } from '../shared/title-picture.js';
import type { Drawing, Target, Uniforms } from './drawing.js';
import { BLUR, COLOUR, COVER, ENLARGE, GRAIN, REDUCE, SHARPEN, VIGNETTE } from './effect-shaders.js';

/** A wider blur is done on a smaller picture. */
const WIDEST = 13;
/** Most textures that are kept for effects: tables, tiles, titles. */
const MOST_KEPT = 24;

/**
 * Does the effects of pictures on the graphics processor, pass by pass, from the same definitions as `PictureEffects` does
 * on the processor.
 */
export class GraphicsEffects {
  /** Textures by what they were made for, the most recently used last. */
  private readonly kept = new Map<string, WebGLTexture>();

  constructor(
    private readonly drawing: Drawing,
    private readonly files: EffectFiles,
  ) {}

  /**
   * @param at frame of the clip
   * @param name of the picture: its targets are not those of another one
   * @returns the picture with its effects
   */
  apply(effects: readonly KnownEffect[], at: number, name: string, picture: Target): Target {
    this.drawing.gl.disable(this.drawing.gl.BLEND);
    const { size } = picture;
    return pixelPasses(effects, size).reduce((source, pass, index) => {
      const target = this.drawing.target(`${name} ${index % 2}`, size);
      this.pass(pass, at, source, target, index);
      return target;
    }, picture);
  }

  private pass(pass: PixelPass, at: number, source: Target, target: Target, index: number): void {
    const { size } = source;
    const draw = (fragment: string, { textures, ...uniforms }: Uniforms): void =>
      this.drawing.draw(fragment, target, size, {
        ...uniforms,
        textures: { picture: source.texture, ...textures },
      });
    switch (pass.kind) {
      case 'colour':
        return draw(COLOUR, {
          tables: { table: this.keep(pass, () => this.colourTable(pass.effects)) },
          numbers: { steps: [TABLE_STEPS] },
        });
      case 'blur':
        return this.blur(source, target, pass.deviation);
      case 'sharpen': {
        const soft = this.drawing.target('soft', size);
        this.blur(source, soft, pass.deviation);
        return draw(SHARPEN, { textures: { soft: soft.texture }, numbers: { amount: [pass.amount] } });
      }
      case 'vignette':
        return draw(VIGNETTE, { numbers: { bend: [vignetteBend(pass.loss)], power: [VIGNETTE_POWER] } });
      case 'grain':
        return draw(GRAIN, {
          textures: { tile: this.keep(pass, () => this.grainTexture(pass.deviation, pass.cell)) },
          whole: { offset: tileOffset(at) },
        });
      case 'title': {
        const still = { ...pass.effect, keyframes: {} };
        const mask = this.keep([still, size, index], () => this.titleTexture(pass.effect, size));
        const colour = videoColour(textOf(pass.effect, 'colour')).map((code) => code / 255);
        const opacity = [numberAt(pass.effect, 'opacity', at) / 100];
        return draw(COVER, { textures: { mask }, numbers: { colour, opacity } });
      }
    }
  }

  private blur(source: Target, target: Target, deviation: number): void {
    const { drawing } = this;
    const factor = 2 ** Math.max(0, Math.ceil(Math.log2(deviation / WIDEST)));
    const size = {
      width: Math.ceil(source.size.width / factor),
      height: Math.ceil(source.size.height / factor),
    };
    const [small, across] = [drawing.target('blur small', size), drawing.target('blur across', size)];
    // Variances add up: a block's mean has that of a box, and samples that are joined by lines that of a triangle.
    const lost = factor === 1 ? 0 : (factor ** 2 - 1) / 12 + factor ** 2 / 6;
    const remaining = Math.sqrt(deviation ** 2 - lost) / factor;
    const along = (direction: readonly [number, number], from: Target, to: Target): void => {
      const count = direction[0] ? size.width : size.height;
      const weights = this.keep(['blur', remaining, count], () => this.blurTexture(remaining, count));
      const textures = { picture: from.texture, weights };
      drawing.draw(BLUR, to, size, { textures, whole: { along: direction } });
    };
    if (factor > 1) {
      const whole = { factor: [factor] };
      drawing.draw(REDUCE, small, size, { textures: { picture: source.texture }, whole });
    }
    along([1, 0], factor > 1 ? small : source, across);
    along([0, 1], across, factor > 1 ? small : target);
    if (factor > 1) {
      const numbers = { factor: [factor] };
      drawing.draw(ENLARGE, target, target.size, { textures: { picture: small.texture }, numbers });
    }
  }

  /** A row of weights for each place of a line that has its own. */
  private blurTexture(deviation: number, count: number): WebGLTexture {
    const { gl } = this.drawing;
    const { reach, places, weights } = blurWeights(deviation, count);
    const texture = this.drawing.texture(gl.TEXTURE_2D, gl.NEAREST);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.R32F, 2 * reach + 1, places, 0, gl.RED, gl.FLOAT, weights);
    return texture;
  }

  private colourTable(effects: readonly KnownEffect[]): WebGLTexture {
    const { gl } = this.drawing;
    const codes = colourCodes(effects, this.files.tableOf).map((code) => code / 255);
    const texture = this.drawing.texture(gl.TEXTURE_3D, gl.LINEAR);
    const sides = [TABLE_STEPS, TABLE_STEPS, TABLE_STEPS] as const;
    gl.texImage3D(gl.TEXTURE_3D, 0, gl.RGBA16F, ...sides, 0, gl.RGBA, gl.FLOAT, codes);
    return texture;
  }

  private grainTexture(deviation: number, cell: number): WebGLTexture {
    const { gl } = this.drawing;
    const texture = this.drawing.texture(gl.TEXTURE_2D, gl.NEAREST);
    const values = grainTile(deviation, cell);
    const sides = [TILE_SIDE, TILE_SIDE] as const;
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.R16I, ...sides, 0, gl.RED_INTEGER, gl.SHORT, values);
    return texture;
  }

  private titleTexture(effect: KnownEffect, size: FrameSize): WebGLTexture {
    const { gl } = this.drawing;
    const texture = this.drawing.texture(gl.TEXTURE_2D, gl.NEAREST);
    const { data } = titlePicture(effect, this.files.font, size);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA, size.width, size.height, 0, gl.RGBA, gl.UNSIGNED_BYTE, data);
    return texture;
  }

  /** The texture that a pass needs, made when it is not there. */
  private keep(content: unknown, make: () => WebGLTexture): WebGLTexture {
    const key = JSON.stringify(content);
    const texture = this.kept.get(key) ?? make();
    this.kept.delete(key);
    this.kept.set(key, texture);
    const [oldest] = this.kept.keys();
    if (this.kept.size > MOST_KEPT) {
      this.drawing.gl.deleteTexture(this.kept.get(oldest!)!);
      this.kept.delete(oldest!);
    }
    return texture;
  }
}
