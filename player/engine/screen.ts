import type { ComposeProcessor } from '@hone/core/levers';
import { fillsFrame, isOpaque, type KnownEffect } from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import { EffectFiles } from '../decode/effect-files.js';
import { GraphicsComposer } from '../graphics/graphics-composer.js';
import type { Kernels } from '../shared/kernels.js';
import { messageOf } from '../shared/message-of.js';
import { colourCoefficients, planarAt, VIDEO_BT709, type ColourCoding } from '../shared/picture.js';
import { Composer, type ComposeRoom, type DrawnLayer } from './composer.js';

/** What composing and showing a frame took, ms. */
export interface DrawTimes {
  readonly composeMs: number;
  readonly showMs: number;
}

/** Composes the pictures of a frame and puts them on the canvas, which has exactly the pixels of the preview. */
export class Screen {
  /** Is told in a sentence when a file of an effect is not to be had; the effect is left out. */
  onFault: (message: string) => void = () => undefined;
  /** Is told why the graphics processor is not used any more; the processor composes from then on. */
  onGraphicsLost: (reason: string) => void = () => undefined;
  private readonly context: OffscreenCanvasRenderingContext2D;
  private image = new ImageData(2, 2);
  private readonly composer: Composer;
  private graphics: GraphicsComposer | undefined;
  private readonly files = new EffectFiles();

  constructor(
    private readonly canvas: OffscreenCanvas,
    private readonly memory: WebAssembly.Memory,
    private readonly kernels: Kernels,
  ) {
    const context = canvas.getContext('2d', { alpha: false });
    if (!context) throw new Error('The browser gave no canvas to draw the preview on.');
    this.context = context;
    this.composer = new Composer(memory, kernels);
  }

  /** What composes frames now. */
  get processor(): ComposeProcessor {
    return this.graphics ? 'graphics processor' : 'processor';
  }

  /**
   * Composes on a processor from now on.
   * @param effects all that it may meet
   */
  async composeOn(processor: ComposeProcessor, effects: readonly KnownEffect[]): Promise<void> {
    this.choose(processor);
    if (!this.graphics) return;
    await this.files.prepare(effects).catch((error: unknown) => this.onFault(messageOf(error)));
  }

  private choose(processor: ComposeProcessor): void {
    if ((processor === 'graphics processor') === (this.graphics !== undefined)) return;
    this.graphics?.close();
    this.graphics = undefined;
    if (processor === 'processor') return;
    try {
      this.graphics = new GraphicsComposer(this.memory, this.files);
    } catch (error) {
      this.lose(error);
    }
  }

  /**
   * @param layers the lowest first
   * @param room where the processor puts frames together
   */
  draw(layers: readonly DrawnLayer[], size: FrameSize, room: ComposeRoom): DrawTimes {
    const coding = layers[0]?.picture?.coding ?? VIDEO_BT709;
    return this.drawOnGraphics(layers, size, coding) ?? this.drawOnProcessor(layers, size, room, coding);
  }

  /** @returns undefined where the graphics processor is not used, or was lost */
  private drawOnGraphics(
    layers: readonly DrawnLayer[],
    size: FrameSize,
    coding: ColourCoding,
  ): DrawTimes | undefined {
    const { graphics } = this;
    if (!graphics) return undefined;
    const start = performance.now();
    try {
      graphics.compose(layers, size, coding);
    } catch (error) {
      graphics.close();
      this.graphics = undefined;
      this.lose(error);
      return undefined;
    }
    const composed = performance.now();
    this.resize(size);
    this.context.drawImage(graphics.canvas, 0, 0);
    return { composeMs: composed - start, showMs: performance.now() - composed };
  }

  private lose(error: unknown): void {
    this.onGraphicsLost(messageOf(error));
  }

  private drawOnProcessor(
    layers: readonly DrawnLayer[],
    size: FrameSize,
    room: ComposeRoom,
    coding: ColourCoding,
  ): DrawTimes {
    const start = performance.now();
    const whole = layers.length === 1 && isWhole(layers[0]!, size) ? layers[0]!.picture : undefined;
    if (!whole) this.composer.compose(layers, size, room);
    const afterCompose = performance.now();
    this.show(whole?.address ?? room.composed, size, room.colours, coding);
    const end = performance.now();
    return { composeMs: afterCompose - start, showMs: end - afterCompose };
  }

  private show(address: number, { width, height }: FrameSize, colours: number, coding: ColourCoding): void {
    const [luma, blue, red] = planarAt(address, width, height);
    const numbers = colourCoefficients(coding);
    this.kernels.toRgba(luma.address, blue.address, red.address, colours, width, height, ...numbers);
    if (this.image.width !== width || this.image.height !== height) this.image = new ImageData(width, height);
    this.image.data.set(new Uint8Array(this.memory.buffer, colours, 4 * width * height));
    this.resize({ width, height });
    this.context.putImageData(this.image, 0, 0);
  }

  private resize({ width, height }: FrameSize): void {
    if (this.canvas.width === width && this.canvas.height === height) return;
    this.canvas.width = width;
    this.canvas.height = height;
  }
}

// A picture that fills its frame pixel for pixel is shown from its own buffer.
function isWhole({ picture, effects }: DrawnLayer, size: FrameSize): boolean {
  const placement = picture?.pose.placement;
  return (
    placement !== undefined &&
    placement !== null &&
    !picture?.hasAlpha &&
    isOpaque(effects) &&
    fillsFrame(placement, size) &&
    placement.width === size.width &&
    placement.height === size.height
  );
}
