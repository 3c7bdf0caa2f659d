import type { Placement } from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import type { Kernels } from '../shared/kernels.js';
import {
  colourCoefficients,
  planarAt,
  planarBytes,
  VIDEO_BT709,
  type ColourCoding,
} from '../shared/picture.js';
import type { ReadyPicture } from './stream-set.js';

/** Composes the pictures of a frame and puts them on the canvas, which has exactly the pixels of the preview. */
export class Screen {
  private readonly context: OffscreenCanvasRenderingContext2D;
  private image = new ImageData(2, 2);

  constructor(
    private readonly canvas: OffscreenCanvas,
    private readonly memory: WebAssembly.Memory,
    private readonly kernels: Kernels,
  ) {
    const context = canvas.getContext('2d', { alpha: false });
    if (!context) throw new Error('The browser gave no canvas to draw the preview on.');
    this.context = context;
  }

  /**
   * @param pictures the layers, the lowest first
   * @param composed room for a composed picture
   * @param colours room for the colours of a frame
   * @returns what composing and showing took, ms
   */
  draw(
    pictures: readonly ReadyPicture[],
    size: FrameSize,
    composed: number,
    colours: number,
  ): { composeMs: number; showMs: number } {
    const start = performance.now();
    const whole = pictures.length === 1 && fills(pictures[0]!.placement, size) ? pictures[0] : undefined;
    if (!whole) this.compose(pictures, size, composed);
    const coding = pictures[0]?.coding ?? VIDEO_BT709;
    const afterCompose = performance.now();
    this.show(whole?.address ?? composed, size, colours, coding);
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

  private compose(pictures: readonly ReadyPicture[], size: FrameSize, address: number): void {
    const bytes = new Uint8Array(this.memory.buffer);
    const lumaBytes = size.width * size.height;
    const black = pictures[0]?.coding.fullRange ? 0 : 16;
    bytes.fill(black, address, address + lumaBytes);
    bytes.fill(128, address + lumaBytes, address + planarBytes(size.width, size.height));
    const frame = planarAt(address, size.width, size.height);
    for (const { address: from, placement } of pictures) {
      planarAt(from, placement.width, placement.height).forEach((plane, index) => {
        const target = frame[index]!;
        const shift = index === 0 ? 0 : 1;
        const corner = target.address + (placement.y >> shift) * target.stride + (placement.x >> shift);
        for (let row = 0; row < plane.height; row++) {
          const line = plane.address + row * plane.stride;
          bytes.copyWithin(corner + row * target.stride, line, line + plane.width);
        }
      });
    }
  }
}

const fills = (placement: Placement, size: FrameSize): boolean =>
  placement.width === size.width && placement.height === size.height;
