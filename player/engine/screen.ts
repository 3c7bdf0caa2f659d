import { fillsFrame, isOpaque } from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import type { Kernels } from '../shared/kernels.js';
import { colourCoefficients, planarAt, VIDEO_BT709, type ColourCoding } from '../shared/picture.js';
import { Composer, type ComposeRoom, type DrawnLayer } from './composer.js';

/** Composes the pictures of a frame and puts them on the canvas, which has exactly the pixels of the preview. */
export class Screen {
  private readonly context: OffscreenCanvasRenderingContext2D;
  private image = new ImageData(2, 2);
  private readonly composer: Composer;

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

  /**
   * @param layers the lowest first
   * @param room where frames are put together
   * @returns what composing and showing took, ms
   */
  draw(
    layers: readonly DrawnLayer[],
    size: FrameSize,
    room: ComposeRoom,
  ): { composeMs: number; showMs: number } {
    const start = performance.now();
    const first = layers[0]?.picture;
    const whole = layers.length === 1 && isWhole(layers[0]!, size) ? first : undefined;
    if (!whole) this.composer.compose(layers, size, room);
    const coding = first?.coding ?? VIDEO_BT709;
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
    if (this.canvas.width !== width || this.canvas.height !== height) {
      this.canvas.width = width;
      this.canvas.height = height;
    }
    this.context.putImageData(this.image, 0, 0);
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
