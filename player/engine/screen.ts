import { videoColour, type Mix, type Placement } from '@hone/core/render';
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

/** How a picture comes in place of the one below it, in one frame. */
export interface DrawnMix {
  readonly mix: Mix;
  /** Share of what comes, 0 to 1. */
  readonly share: number;
}

/** A layer of a frame; without a picture it shows nothing. */
export interface DrawnLayer {
  readonly picture: ReadyPicture | undefined;
  readonly mix?: DrawnMix | undefined;
}

/** Addresses at which frames are put together. */
export interface ComposeRoom {
  readonly composed: number;
  readonly mixing: readonly [number, number];
  /** Room for the colours of a frame. */
  readonly colours: number;
}

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
    const whole = layers.length === 1 && first && fills(first.placement, size) ? first : undefined;
    if (!whole) this.compose(layers, size, room);
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

  private compose(layers: readonly DrawnLayer[], size: FrameSize, room: ComposeRoom): void {
    const bytes = new Uint8Array(this.memory.buffer);
    const lumaBytes = size.width * size.height;
    const frameBytes = planarBytes(size.width, size.height);
    const { composed, mixing } = room;
    const black = layers[0]?.picture?.coding.fullRange ? 0 : 16;
    bytes.fill(black, composed, composed + lumaBytes);
    bytes.fill(128, composed + lumaBytes, composed + frameBytes);
    layers.forEach(({ picture, mix }, index) => {
      if (!mix) {
        // The lower of two that give way stands on what the upper one will stand on as well.
        if (layers[index + 1]?.mix) bytes.copyWithin(mixing[0], composed, composed + frameBytes);
        if (picture) place(bytes, picture, composed, size);
        return;
      }
      if (picture) place(bytes, picture, mixing[0], size);
      this.mix(composed, mixing, size, mix);
    });
  }

  /** Puts what comes, in `mixing[0]`, into what goes, in `composed`. */
  private mix(
    composed: number,
    mixing: ComposeRoom['mixing'],
    size: FrameSize,
    { mix, share }: DrawnMix,
  ): void {
    const coming = planarAt(mixing[0], size.width, size.height);
    const bytes = new Uint8Array(this.memory.buffer);
    const colours = mix.kind === 'dip' ? videoColour(mix.colour) : undefined;
    planarAt(composed, size.width, size.height).forEach((plane, index) => {
      const count = plane.width * plane.height;
      const other = coming[index]!.address;
      if (mix.kind === 'wipe') {
        const until = Math.ceil(share * plane.width);
        for (let row = 0; row < plane.height; row++) {
          const at = row * plane.stride;
          bytes.copyWithin(plane.address + at, other + at, other + at + until);
        }
        return;
      }
      if (!colours) {
        this.kernels.mixPlane(plane.address, other, plane.address, count, Math.round(256 * share));
        return;
      }
      // A dip is two crossfades, to the colour and from it.
      const flat = mixing[1];
      bytes.fill(colours[index]!, flat, flat + count);
      const goes = share < 0.5;
      const part = Math.round(256 * (goes ? 2 * share : 2 * share - 1));
      if (goes) this.kernels.mixPlane(plane.address, flat, plane.address, count, part);
      else this.kernels.mixPlane(flat, other, plane.address, count, part);
    });
  }
}

function place(
  bytes: Uint8Array,
  { address, placement }: ReadyPicture,
  frame: number,
  size: FrameSize,
): void {
  const targets = planarAt(frame, size.width, size.height);
  planarAt(address, placement.width, placement.height).forEach((plane, index) => {
    const target = targets[index]!;
    const shift = index === 0 ? 0 : 1;
    const corner = target.address + (placement.y >> shift) * target.stride + (placement.x >> shift);
    for (let row = 0; row < plane.height; row++) {
      const line = plane.address + row * plane.stride;
      bytes.copyWithin(corner + row * target.stride, line, line + plane.width);
    }
  });
}

const fills = (placement: Placement, size: FrameSize): boolean =>
  placement.width === size.width && placement.height === size.height;
