import { videoColour, type KnownEffect, type Mix } from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import type { Kernels } from '../shared/kernels.js';
import { overlapOf, planarAt, planarBytes, type Plane } from '../shared/picture.js';
import { MasksAndTransforms, type ShapedPicture, type MaskMemory } from '../shared/masks-transforms.js';
import type { ReadyPicture } from './ready-picture.js';

/** Mix of a picture with the one below it, in one frame. */
export interface DrawnMix {
  readonly mix: Mix;
  /** Share of what comes, 0 to 1. */
  readonly share: number;
}

/** A layer of a frame; without a picture it shows nothing. */
export interface DrawnLayer {
  readonly picture: ReadyPicture | undefined;
  readonly mix?: DrawnMix | undefined;
  readonly clipId: string;
  readonly effects: readonly KnownEffect[];
  /** Frame of the clip. */
  readonly at: number;
}

/** Addresses at which frames are put together. */
export interface ComposeRoom extends MaskMemory {
  readonly composed: number;
  readonly mixing: readonly [number, number];
  /** Room for the colours of a frame. */
  readonly colours: number;
}

/** Puts the pictures of a frame on each other, cut and mixed as they are to be. */
export class Composer {
  private readonly masks: MasksAndTransforms;
  private room: ComposeRoom | undefined;

  constructor(
    private readonly memory: WebAssembly.Memory,
    private readonly kernels: Kernels,
  ) {
    this.masks = new MasksAndTransforms(memory, kernels);
  }

  /**
   * @param layers the lowest first
   * @param room memory for composing; the result is at `composed`
   */
  compose(layers: readonly DrawnLayer[], size: FrameSize, room: ComposeRoom): void {
    if (this.room !== room) this.masks.forget();
    this.room = room;
    const bytes = new Uint8Array(this.memory.buffer);
    const lumaBytes = size.width * size.height;
    const frameBytes = planarBytes(size.width, size.height);
    const { composed, mixing } = room;
    const black = layers[0]?.picture?.coding.fullRange ? 0 : 16;
    bytes.fill(black, composed, composed + lumaBytes);
    bytes.fill(128, composed + lumaBytes, composed + frameBytes);
    layers.forEach((layer, index) => {
      const { mix } = layer;
      if (!mix) {
        // The lower of two that give way stands on what the upper one will stand on as well.
        if (layers[index + 1]?.mix) bytes.copyWithin(mixing[0], composed, composed + frameBytes);
        this.place(layer, composed, size, room);
        return;
      }
      this.place(layer, mixing[0], size, room);
      this.mix(composed, mixing, size, mix);
    });
  }

  private place(layer: DrawnLayer, frame: number, size: FrameSize, room: ComposeRoom): void {
    const { picture } = layer;
    if (!picture) return;
    const shaped = this.masks.shape({ ...layer, ...picture }, size, room);
    const targets = planarAt(frame, size.width, size.height);
    targets.forEach((target, index) => this.lay(shaped, target, index));
  }

  private lay({ planes, alpha, x, y, opacity }: ShapedPicture, target: Plane, index: number): void {
    const plane = planes[index]!;
    const shift = index === 0 ? 0 : 1;
    const [left, top] = [x >> shift, y >> shift];
    const { column, row, width, height } = overlapOf(plane, target, left, top);
    if (width <= 0 || height <= 0) return;
    const from = row * plane.stride + column;
    const to = target.address + (top + row) * target.stride + left + column;
    const gain = Math.round(256 * opacity);
    if (!alpha && gain === 256) {
      const bytes = new Uint8Array(this.memory.buffer);
      for (let line = 0; line < height; line++) {
        const source = plane.address + from + line * plane.stride;
        bytes.copyWithin(to + line * target.stride, source, source + width);
      }
      return;
    }
    const alphaAt = alpha ? alpha[shift] + from : 0;
    this.kernels.blendPlane(
      ...([
        to,
        target.stride,
        plane.address + from,
        plane.stride,
        alphaAt,
        plane.stride,
        width,
        height,
      ] as const),
      gain,
    );
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
