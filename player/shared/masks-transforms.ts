import {
  affineOf,
  numbersAt,
  opacityAt,
  shapesMove,
  shapesOf,
  type KnownEffect,
  type Pose,
} from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import type { Kernels } from './kernels.js';
import { planarAt, planarBytes, type Planes } from './picture.js';
import { shapeNumbers } from './shape-numbers.js';

const MOST_SHAPES = 32;
const SHAPE_NUMBERS = 10;

/** Room for the numbers of all shapes of a picture. */
export const SHAPE_BYTES = 4 * SHAPE_NUMBERS * MOST_SHAPES;

/** A picture positioned in its frame: its planes, and the opacity of each sample. */
export interface ShapedPicture {
  readonly planes: Planes;
  /** Addresses of the alpha of luma and of chroma; null where all is seen. */
  readonly alpha: readonly [luma: number, chroma: number] | null;
  /** Position of its corner in the frame. */
  readonly x: number;
  readonly y: number;
  /** Opacity, 0 to 1. */
  readonly opacity: number;
}

/** Memory for masked and transformed pictures. Addresses are in bytes. */
export interface MaskMemory {
  /** Room for a frame and, behind it, its alpha. */
  readonly warped: number;
  /** Room for the alpha of a picture each; one more than pictures can be seen at once. */
  readonly alphas: readonly number[];
  readonly shapes: number;
  /** Room for the alpha of a picture that has one of its own and is cut as well. */
  readonly product: number;
}

/** A picture that is to be shaped. */
export interface UnshapedPicture {
  readonly clipId: string;
  readonly address: number;
  /** Whether its own alpha follows its planes. */
  readonly hasAlpha: boolean;
  readonly pose: Pose;
  readonly effects: readonly KnownEffect[];
  /** Frame of its clip. */
  readonly at: number;
}

/** Cuts pictures by their masks, and turns and moves them. */
export class MasksAndTransforms {
  /** Contents of the alpha buffers, the most recently used last. */
  private kept: { key: string; address: number }[] = [];

  constructor(
    private readonly memory: WebAssembly.Memory,
    private readonly kernels: Kernels,
  ) {}

  /** Forgets all cached pictures, since their memory is reused. */
  forget(): void {
    this.kept = [];
  }

  shape(picture: UnshapedPicture, frame: FrameSize, room: MaskMemory): ShapedPicture {
    const { pose, effects, at } = picture;
    const opacity = opacityAt(effects, at);
    const planes = planarAt(picture.address, pose.raster.width, pose.raster.height);
    if (pose.placement) {
      const { x, y } = pose.placement;
      const isCut = shapesOf(effects, pose.raster, numbersAt(at)).length > 0;
      const cut = isCut ? this.alphaOf(picture, room) : null;
      const alpha = picture.hasAlpha ? this.withOwnAlpha(picture, cut, room) : cut;
      return { planes, alpha: alpha === null ? null : halves(alpha, pose.raster), x, y, opacity };
    }
    return { ...this.warp(picture, planes, frame, room), x: 0, y: 0, opacity };
  }

  private warp(
    picture: UnshapedPicture,
    planes: Planes,
    frame: FrameSize,
    room: MaskMemory,
  ): Pick<ShapedPicture, 'planes' | 'alpha'> {
    const { a, b, c, d, e, f } = affineOf(picture.effects, picture.pose, frame, numbersAt(picture.at));
    const targets = planarAt(room.warped, frame.width, frame.height);
    targets.forEach(({ address, width, height }, index) => {
      const from = planes[index]!;
      const divisor = index === 0 ? 1 : 2;
      const numbers = [a, b, c / divisor, d, e, f / divisor] as const;
      this.kernels.warpPlane(from.address, from.width, from.height, address, width, height, ...numbers, -1);
    });
    const [, , last] = targets;
    const alpha = last.address + last.width * last.height;
    const { width, height } = picture.pose.raster;
    const cut = this.alphaOf(picture, room);
    const seen = picture.hasAlpha ? this.withOwnAlpha(picture, cut, room) : cut;
    this.kernels.warpPlane(
      ...([seen, width, height, alpha, frame.width, frame.height, a, b, c, d, e, f] as const),
      0,
    );
    this.halve(alpha, frame);
    return { planes: targets, alpha: halves(alpha, frame) };
  }

  /** Address of a picture's own alpha times that of its shapes, with that of chroma behind it. */
  private withOwnAlpha({ address, pose }: UnshapedPicture, cut: number | null, room: MaskMemory): number {
    const { width, height } = pose.raster;
    const own = address + planarBytes(width, height);
    if (cut === null) return own;
    this.kernels.multiplyAlpha(own, cut, room.product, width * height);
    this.halve(room.product, pose.raster);
    return room.product;
  }

  /** Address of the alpha of a picture in its raster, with that of chroma behind it. */
  private alphaOf({ clipId, effects, pose, at }: UnshapedPicture, room: MaskMemory): number {
    const { width, height } = pose.raster;
    const shapes = shapesOf(effects, pose.raster, numbersAt(at)).slice(0, MOST_SHAPES);
    const key = `${clipId} ${width} ${height} ${shapesMove(effects) ? at : ''}`;
    const known = this.kept.find((each) => each.key === key);
    if (known) {
      this.kept = [...this.kept.filter((each) => each !== known), known];
      return known.address;
    }
    const used = new Set(this.kept.map(({ address }) => address));
    const address = room.alphas.find((each) => !used.has(each)) ?? this.kept.shift()!.address;
    const numbers = shapes.flatMap(shapeNumbers);
    new Float32Array(this.memory.buffer, room.shapes, numbers.length).set(numbers);
    this.kernels.shapeAlpha(address, width, height, room.shapes, shapes.length);
    this.halve(address, pose.raster);
    this.kept.push({ key, address });
    return address;
  }

  private halve(alpha: number, { width, height }: FrameSize): void {
    this.kernels.reduceBox(alpha, width, alpha + width * height, width >> 1, height >> 1, 2);
  }
}

const halves = (alpha: number, { width, height }: FrameSize): readonly [number, number] => [
  alpha,
  alpha + width * height,
];
