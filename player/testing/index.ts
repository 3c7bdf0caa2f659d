import type { ColourTable } from '@hone/core/interchange';
import { mixShare, stagesOf, type KnownEffect, type Mix } from '@hone/core/render';
import type { Framing, FrameSize } from '@hone/core/timeline';
import { EffectFiles } from '../decode/effect-files.js';
import {
  betweenBytes,
  givesAlpha,
  pictureBytes,
  PictureStages,
  stagesBytes,
} from '../decode/picture-stages.js';
import { Workspace } from '../decode/workspace.js';
import { Composer, type DrawnLayer } from '../engine/composer.js';
import { SHAPE_BYTES } from '../shared/masks-transforms.js';
import { createMemory, FIRST_FREE, loadKernels, PAGE, type Kernels } from '../shared/kernels.js';
import { aligned, planarAt, planarBytes, VIDEO_BT709 } from '../shared/picture.js';

/** A picture, 8-bit 4:2:0, and its effects in a frame of its clip. */
export interface PreviewLayer {
  readonly picture: Uint8Array;
  readonly size: FrameSize;
  readonly effects: readonly KnownEffect[];
  readonly at: number;
  readonly framing?: Framing;
  readonly mix?: Mix;
}

/** The player's own functions from the decoded picture to the composed frame, without a browser. */
export class PreviewFrame {
  private constructor(
    private readonly memory: WebAssembly.Memory,
    private readonly kernels: Kernels,
    private readonly tables: ReadonlyMap<string, ColourTable>,
  ) {}

  /** @param wasm bytes of kernels.wasm */
  static async open(
    wasm: BufferSource,
    tables: ReadonlyMap<string, ColourTable> = new Map(),
  ): Promise<PreviewFrame> {
    const memory = createMemory();
    return new PreviewFrame(memory, await loadKernels(wasm, memory), tables);
  }

  /** The composed frame, 8-bit 4:2:0. @param frame timeline frame, for mixes */
  make(layers: readonly PreviewLayer[], size: FrameSize, frame = 0): Uint8Array {
    let next = FIRST_FREE;
    const take = (bytes: number): number => {
      const address = next;
      next += aligned(bytes);
      const missing = next - this.memory.buffer.byteLength;
      if (missing > 0) this.memory.grow(Math.ceil(missing / PAGE));
      return address;
    };
    const files = new EffectFiles();
    Object.assign(files, { tableOf: (id: string) => this.tables.get(id) });
    const drawn = layers.map((layer, index): DrawnLayer => {
      const stages = stagesOf(layer.effects, layer.size, size, layer.framing);
      const [{ pose }] = stages;
      const staged = { stages, frame: size, hasAlpha: false };
      const source = take(layer.picture.length);
      new Uint8Array(this.memory.buffer).set(layer.picture, source);
      const address = take(pictureBytes(staged));
      const room = take(Workspace.bytesFor(0));
      const workspace = new Workspace(this.memory, this.kernels, room, Workspace.bytesFor(0));
      const from = planarAt(source, layer.size.width, layer.size.height);
      planarAt(address, pose.raster.width, pose.raster.height).forEach((plane, at) =>
        workspace.fit(from[at]!, plane, 'exact'),
      );
      const effects = new PictureStages(this.memory, this.kernels, files);
      const between = betweenBytes(staged);
      const bytes = between + stagesBytes(staged);
      effects.setRoom(take(bytes), between, bytes);
      effects.apply(String(index), staged, layer.at, address);
      return {
        picture: {
          address,
          ...stages.at(-1)!,
          coding: VIDEO_BT709,
          decoder: 'browser',
          file: null,
          isBare: false,
          hasAlpha: givesAlpha(staged),
        },
        mix: layer.mix ? { mix: layer.mix, share: mixShare(layer.mix, frame) } : undefined,
        clipId: String(index),
        effects: layer.effects,
        at: layer.at,
      };
    });
    const bytes = planarBytes(size.width, size.height);
    const largest = Math.max(bytes, ...drawn.map(({ picture }) => planarSize(picture!.pose.raster)));
    const room = {
      composed: take(bytes),
      mixing: [take(bytes), take(bytes)] as const,
      colours: 0,
      warped: take(2 * bytes),
      alphas: [...drawn, null].map(() => take(largest)),
      shapes: take(SHAPE_BYTES),
      product: take(largest),
    };
    new Composer(this.memory, this.kernels).compose(drawn, size, room);
    return new Uint8Array(this.memory.buffer, room.composed, bytes).slice();
  }
}

const planarSize = ({ width, height }: FrameSize): number => planarBytes(width, height);
