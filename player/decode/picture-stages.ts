import { isKeyed, type KnownEffect, type Stage } from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import type { Kernels } from '../shared/kernels.js';
import {
  aligned,
  alphaBytes,
  alphasAt,
  overlapOf,
  planarAt,
  planarBytes,
  type Plane,
} from '../shared/picture.js';
import {
  SHAPE_BYTES,
  MasksAndTransforms,
  type ShapedPicture,
  type MaskMemory,
} from '../shared/masks-transforms.js';
import type { EffectFiles } from './effect-files.js';
import { effectBytes, PictureEffects } from './picture-effects.js';

/** Stages of the pictures of a clip, and the frame that they end up in. */
export interface StagedPictures {
  readonly stages: readonly [Stage, ...Stage[]];
  readonly frame: FrameSize;
  /** Whether the source has alpha of its own. */
  readonly hasAlpha: boolean;
}

/** Whether a picture with alpha comes out of the stages. */
export const givesAlpha = ({ stages, hasAlpha }: Omit<StagedPictures, 'frame'>): boolean =>
  hasAlpha || stages.length > 1;

/** Whether two frames can differ although they show the same frame of the source. */
export function changesByFrame(stages: StagedPictures['stages']): boolean {
  const earlier = stages.slice(0, -1).flatMap(({ effects }) => effects);
  return (
    stages.some(({ effects }) => effects.some(changesPixels)) ||
    earlier.some((effect) => isKeyed(effect, ...Object.keys(effect.keyframes ?? {})))
  );
}

const changesPixels = (effect: KnownEffect): boolean =>
  effect.kind === 'grain' || (effect.kind === 'title' && isKeyed(effect, 'opacity'));

const bytesWithAlpha = ({ width, height }: FrameSize): number =>
  planarBytes(width, height) + alphaBytes(width, height);

/** Bytes of a picture while it goes through its stages, and when it is done. */
export const pictureBytes = (pictures: StagedPictures): number =>
  Math.max(
    ...pictures.stages.map(({ pose: { raster } }) =>
      givesAlpha(pictures) ? bytesWithAlpha(raster) : planarBytes(raster.width, raster.height),
    ),
  );

/** Room to put a picture in its frame between two stages; 0 where there is one stage only. */
export function betweenBytes({ stages, frame }: StagedPictures): number {
  if (stages.length === 1) return 0;
  const shapes = Math.max(...stages.map(({ pose: { raster } }) => alphaBytes(raster.width, raster.height)));
  return aligned(SHAPE_BYTES) + aligned(bytesWithAlpha(frame)) + 2 * aligned(shapes);
}

/** Room that the effects of pictures need at once. */
export const stagesBytes = ({ stages }: StagedPictures): number =>
  stages.reduce((sum, { effects, pose }) => sum + effectBytes(effects, pose.raster), 0);

/** Does the effects of pictures, stage by stage, but for the masks and the transform of the last stage. */
export class PictureStages {
  private readonly effects: PictureEffects;
  private readonly masks: MasksAndTransforms;
  private address = 0;
  private bytes = 0;
  /** For which room was divided up last. */
  private frame: FrameSize = { width: 0, height: 0 };

  constructor(
    private readonly memory: WebAssembly.Memory,
    private readonly kernels: Kernels,
    files: EffectFiles,
  ) {
    this.effects = new PictureEffects(memory, kernels, files);
    this.masks = new MasksAndTransforms(memory, kernels);
  }

  /**
   * @param address room of `betweenBytes` of the pictures that need most, and behind it room for their effects
   * @param between bytes of the first
   * @param bytes of both together
   */
  setRoom(address: number, between: number, bytes: number): void {
    this.masks.forget();
    this.address = address;
    this.bytes = between;
    this.effects.setRoom(address + between, bytes - between);
  }

  /**
   * @param id of the clip; cached pictures are kept by id
   * @param at frame of the clip
   * @param picture address of the picture, which is changed in place
   */
  apply(id: string, { stages, frame, hasAlpha }: StagedPictures, at: number, picture: number): void {
    if (frame.width !== this.frame.width || frame.height !== this.frame.height) this.masks.forget();
    this.frame = frame;
    stages.forEach(({ effects, pose }, index) => {
      const isWithAlpha = hasAlpha || index > 0;
      this.effects.apply(effects, at, picture, pose.raster, isWithAlpha);
      if (index === stages.length - 1) return;
      const room = this.maskMemory(frame);
      const unshaped = {
        clipId: `${id} ${index}`,
        address: picture,
        hasAlpha: isWithAlpha,
        pose,
        effects,
        at,
      };
      this.putInFrame(this.masks.shape(unshaped, frame, room), picture, frame, room.warped);
    });
  }

  private maskMemory(frame: FrameSize): MaskMemory {
    const shapes = this.address;
    const warped = shapes + aligned(SHAPE_BYTES);
    const alpha = warped + aligned(bytesWithAlpha(frame));
    const half = (this.address + this.bytes - alpha) / 2;
    return { shapes, warped, alphas: [alpha], product: alpha + half };
  }

  /** Makes a frame of a shaped picture, with alpha behind it, in place of the picture. */
  private putInFrame(shaped: ShapedPicture, picture: number, frame: FrameSize, warped: number): void {
    const bytes = new Uint8Array(this.memory.buffer);
    const targets = planarAt(warped, frame.width, frame.height);
    const [alpha, half] = alphasAt(warped, frame);
    const isWarped = shaped.planes[0].address === warped;
    if (!isWarped) {
      bytes.fill(0, warped, warped + bytesWithAlpha(frame));
      bytes.fill(128, targets[1].address, alpha.address);
      targets.forEach((target, index) => {
        this.copyInto(shaped.planes[index]!, target, shaped.x, shaped.y, index === 0 ? 0 : 1);
      });
      const own = { ...shaped.planes[0], address: shaped.alpha?.[0] ?? 0 };
      this.copyInto(own, alpha, shaped.x, shaped.y, 0, shaped.alpha === null);
    }
    const fade = 256 - Math.round(256 * shaped.opacity);
    const count = alpha.width * alpha.height;
    if (fade > 0) this.kernels.coverPlane(alpha.address, 0, 0, count, fade);
    if (fade > 0 || !isWarped)
      this.kernels.reduceBox(alpha.address, alpha.width, half.address, half.width, half.height, 2);
    bytes.copyWithin(picture, warped, warped + bytesWithAlpha(frame));
  }

  /** Copies the part of a plane within a frame, or fills it with 255. */
  private copyInto(source: Plane, target: Plane, x: number, y: number, shift: 0 | 1, isFilled = false): void {
    const [left, top] = [x >> shift, y >> shift];
    const { column, row, width, height } = overlapOf(source, target, left, top);
    if (width <= 0) return;
    const bytes = new Uint8Array(this.memory.buffer);
    for (let line = row; line < row + height; line++) {
      const to = target.address + (top + line) * target.stride + left + column;
      const from = source.address + line * source.stride + column;
      if (isFilled) bytes.fill(255, to, to + width);
      else bytes.copyWithin(to, from, from + width);
    }
  }
}
