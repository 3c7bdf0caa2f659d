import { affineOf, numbersAt, opacityAt, shapesOf, videoColour, type KnownEffect } from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import type { EffectFiles } from '../decode/effect-files.js';
import type { DrawnLayer, DrawnMix } from '../engine/composer.js';
import type { ReadyPicture } from '../engine/ready-picture.js';
import { colourGains, planarBytes, type ColourCoding } from '../shared/picture.js';
import { shapeNumbers } from '../shared/shape-numbers.js';
import { Drawing, type Area, type Target } from './drawing.js';
import { GraphicsEffects } from './graphics-effects.js';
import { COPY, FLAT, LAYER, MOST_SHAPES, TO_RGB, UNPACK } from './shaders.js';

const codesOf = (colour: readonly number[]): number[] => colour.map((code) => code / 255);

/** Why frames cannot be composed on a graphics processor. */
export class NoGraphics extends Error {}

/**
 * Composes frames on the graphics processor, from pictures in the shared memory to a canvas of its own. It follows the
 * rules of `Composer`, which does the same on the processor.
 */
export class GraphicsComposer {
  readonly canvas = new OffscreenCanvas(2, 2);
  private readonly gl: WebGL2RenderingContext;
  private readonly drawing: Drawing;
  private readonly effects: GraphicsEffects;
  private readonly mostPixels: number;
  private readonly uploads = new Map<number, { texture: WebGLTexture; width: number; rows: number }>();
  private readonly pixel = new Uint8Array(4);

  /** @throws NoGraphics when the browser has none */
  constructor(
    private readonly memory: WebAssembly.Memory,
    files: EffectFiles,
  ) {
    const gl = this.canvas.getContext('webgl2', {
      ...{ alpha: false, antialias: false, depth: false, stencil: false },
      powerPreference: 'high-performance',
    });
    if (!gl) throw new NoGraphics('The browser gives no graphics processor to draw with.');
    this.gl = gl;
    this.drawing = new Drawing(gl);
    this.effects = new GraphicsEffects(this.drawing, files);
    this.mostPixels = gl.getParameter(gl.MAX_TEXTURE_SIZE) as number;
  }

  /**
   * Composes a frame on `canvas`, and waits until that is done.
   * @param layers the lowest first
   * @throws NoGraphics when the graphics processor was lost, or does not take pictures as large as these
   */
  compose(layers: readonly DrawnLayer[], size: FrameSize, coding: ColourCoding): void {
    const sizes = [size, ...layers.flatMap(({ picture }) => (picture ? [storedSize(picture)] : []))];
    const most = Math.max(...sizes.flatMap(({ width, height }) => [width, height]));
    if (most > this.mostPixels)
      throw new NoGraphics(
        `The graphics processor takes ${this.mostPixels} pixels at most, and a picture has ${most} lines or columns.`,
      );
    const { gl, drawing } = this;
    const composed = drawing.target('composed', size);
    const coming = drawing.target('coming', size);
    const black = codesOf([coding.fullRange ? 0 : 16, 128, 128]);
    gl.disable(gl.BLEND);
    drawing.draw(FLAT, composed, size, { numbers: { colour: black } });
    layers.forEach((layer, index) => {
      if (layer.mix) {
        this.place(layer, index, coming, size);
        this.mix(composed, coming, size, layer.mix);
        return;
      }
      // The lower of two that give way stands on what the upper one will stand on as well.
      if (layers[index + 1]?.mix) {
        gl.disable(gl.BLEND);
        drawing.draw(COPY, coming, size, { textures: { picture: composed.texture } });
      }
      this.place(layer, index, composed, size);
    });
    this.show(composed, size, coding);
    // Reading a pixel back waits until everything is drawn.
    gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, this.pixel);
    if (gl.isContextLost()) throw new NoGraphics('The graphics processor was lost.');
  }

  /** Gives the graphics processor's memory back. */
  close(): void {
    this.gl.getExtension('WEBGL_lose_context')?.loseContext();
  }

  private place(layer: DrawnLayer, index: number, frame: Target, size: FrameSize): void {
    const { picture, at } = layer;
    if (!picture) return;
    const { pose, effects } = picture;
    const { x = 0, y = 0 } = pose.placement ?? {};
    const area = pose.placement ? overlap({ x, y, ...pose.raster }, size) : undefined;
    if (area && (area.width <= 0 || area.height <= 0)) return;
    const { gl, drawing } = this;
    const bare = this.unpack(picture, index);
    const done = picture.isBare ? this.effects.apply(effects, at, `effects ${index}`, bare) : bare;
    const { a, b, c, d, e, f } = pose.placement ? STILL : affineOf(effects, pose, size, numbersAt(at));
    gl.enable(gl.BLEND);
    gl.blendFuncSeparate(gl.SRC_ALPHA, gl.ONE_MINUS_SRC_ALPHA, gl.ZERO, gl.ONE);
    const shapes = shapesIn(effects, pose.raster, at);
    drawing.draw(
      LAYER,
      frame,
      size,
      {
        textures: { picture: done.texture },
        whole: { corner: [x, y], isWarped: [pose.placement ? 0 : 1], shapeCount: [shapes.length / SHAPE] },
        numbers: { across: [a, b, c], down: [d, e, f], opacity: [opacityAt(effects, at)] },
        vectors: shapes.length ? { shapes } : {},
      },
      area,
    );
  }

  /** A picture in the shared memory as one on the graphics processor. */
  private unpack(picture: ReadyPicture, index: number): Target {
    const { gl, drawing } = this;
    const { raster } = picture.pose;
    const { width, height: rows } = storedSize(picture);
    const known = this.uploads.get(index);
    const isSame = known?.width === width && known.rows === rows;
    if (!isSame && known) gl.deleteTexture(known.texture);
    const texture = isSame ? known.texture : drawing.texture(gl.TEXTURE_2D, gl.NEAREST);
    gl.bindTexture(gl.TEXTURE_2D, texture);
    if (!isSame) gl.texStorage2D(gl.TEXTURE_2D, 1, gl.R8, width, rows);
    this.uploads.set(index, { texture, width, rows });
    const bytes = new Uint8Array(this.memory.buffer, picture.address, width * rows);
    gl.texSubImage2D(gl.TEXTURE_2D, 0, 0, 0, width, rows, gl.RED, gl.UNSIGNED_BYTE, bytes);
    const target = drawing.target(`picture ${index}`, raster);
    gl.disable(gl.BLEND);
    drawing.draw(UNPACK, target, raster, {
      textures: { planes: texture },
      whole: { raster: [raster.width, raster.height], hasAlpha: [picture.hasAlpha ? 1 : 0] },
    });
    return target;
  }

  /** Puts what comes into what goes. */
  private mix(composed: Target, coming: Target, size: FrameSize, { mix, share }: DrawnMix): void {
    const { gl, drawing } = this;
    const comes = { textures: { picture: coming.texture } };
    if (mix.kind === 'wipe') {
      gl.disable(gl.BLEND);
      const width = Math.ceil(share * size.width);
      if (width > 0) drawing.draw(COPY, composed, size, comes, { x: 0, y: 0, width, height: size.height });
      return;
    }
    gl.enable(gl.BLEND);
    gl.blendFunc(gl.CONSTANT_ALPHA, gl.ONE_MINUS_CONSTANT_ALPHA);
    if (mix.kind !== 'dip') {
      gl.blendColor(0, 0, 0, share);
      drawing.draw(COPY, composed, size, comes);
      return;
    }
    // A dip is two crossfades, to the colour and from it.
    const flat = { numbers: { colour: codesOf(videoColour(mix.colour)) } };
    gl.blendColor(0, 0, 0, share < 0.5 ? 2 * share : 1);
    drawing.draw(FLAT, composed, size, flat);
    if (share < 0.5) return;
    gl.blendColor(0, 0, 0, 2 * share - 1);
    drawing.draw(COPY, composed, size, comes);
  }

  private show(composed: Target, size: FrameSize, coding: ColourCoding): void {
    const { canvas, gl, drawing } = this;
    if (canvas.width !== size.width || canvas.height !== size.height) {
      canvas.width = size.width;
      canvas.height = size.height;
    }
    const { offset, luma, redFromV, greenFromU, greenFromV, blueFromU } = colourGains(coding);
    gl.disable(gl.BLEND);
    drawing.draw(TO_RGB, null, size, {
      textures: { picture: composed.texture },
      numbers: {
        offset: [offset / 255],
        lumaGain: [luma],
        chromaGains: [redFromV, greenFromU, greenFromV, blueFromU],
      },
    });
  }
}

/** Numbers of a shape, in vectors of four. */
const SHAPE = 12;

const STILL = { a: 1, b: 0, c: 0, d: 0, e: 1, f: 0 } as const;

/** The texture that takes all bytes of a picture: its width, and rows. */
const storedSize = ({ pose: { raster }, hasAlpha }: ReadyPicture): FrameSize => {
  const bytes = planarBytes(raster.width, raster.height) + (hasAlpha ? raster.width * raster.height : 0);
  return { width: raster.width, height: Math.ceil(bytes / raster.width) };
};

function overlap({ x, y, width, height }: Area, size: FrameSize): Area {
  const [left, top] = [Math.max(0, x), Math.max(0, y)];
  return {
    x: left,
    y: top,
    width: Math.min(size.width, x + width) - left,
    height: Math.min(size.height, y + height) - top,
  };
}

function shapesIn(effects: readonly KnownEffect[], raster: FrameSize, at: number): Float32Array {
  const shapes = shapesOf(effects, raster, numbersAt(at)).slice(0, MOST_SHAPES);
  const numbers = new Float32Array(SHAPE * shapes.length);
  shapes.forEach((shape, index) => numbers.set(shapeNumbers(shape), SHAPE * index));
  return numbers;
}
