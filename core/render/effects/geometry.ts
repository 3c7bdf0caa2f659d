import { evenSide, type Framing, type FrameSize } from '../../timeline/index.js';
import type { Placement } from '../graph/placement.js';
import { splitStages } from './order.js';
import { passKindOf } from './pixel-passes.js';
import { isKeyed, numberAt, textOf, type KnownEffect } from './values.js';

/** Map from a point of the frame to a picture: across = a·x + b·y + c, down = d·x + e·y + f, in pixels. */
export interface Affine<N> {
  readonly a: N;
  readonly b: N;
  readonly c: N;
  readonly d: N;
  readonly e: N;
  readonly f: N;
}

/** A part of a raster or a frame, in pixels: [left, right) by [top, bottom). */
export interface Area {
  readonly left: number;
  readonly top: number;
  readonly right: number;
  readonly bottom: number;
}

/** Position of a clip's picture in a frame. */
export interface Pose {
  /** Pixels in which the picture is made; its effects are done in them. */
  readonly raster: FrameSize;
  /** Size at a scale of 100 %. */
  readonly natural: FrameSize;
  /** Position of an upright, still raster; null where it turns or moves. */
  readonly placement: Placement | null;
}

/** Effects on one picture, and the position of their result in the frame. */
export interface Stage {
  readonly effects: readonly KnownEffect[];
  readonly pose: Pose;
}

/** Largest raster of a moving picture, in widths and heights of the frame. */
const MOST_MOVING = 2;
/** Largest raster of a still picture: an upright one that fills a wide frame is more than three times as high. */
const MOST_STILL = 4;

const evenPlace = (value: number): number => 2 * Math.floor(value / 2);

export const transformOf = (effects: readonly KnownEffect[]): KnownEffect | undefined =>
  effects.find(({ kind }) => kind === 'transform');

/**
 * Position, size and raster of a picture in its frame. A picture that neither turns nor moves is made in the pixels of the
 * frame. Any other is made at its largest size, as far as its source has the pixels, and warped from there.
 * @param picture size in square pixels, upright
 */
export function poseOf(
  effects: readonly KnownEffect[],
  picture: FrameSize,
  frame: FrameSize,
  framing: Framing = 'fit',
): Pose {
  const ratios = [frame.width / picture.width, frame.height / picture.height] as const;
  const ratio = framing === 'fill' ? Math.max(...ratios) : Math.min(...ratios);
  const natural = { width: picture.width * ratio, height: picture.height * ratio };
  const sized = (scale: number): FrameSize => ({
    width: evenSide(natural.width * scale),
    height: evenSide(natural.height * scale),
  });
  const transform = transformOf(effects);
  const scale = transform ? largest(transform, 'scale') / 100 : 1;
  const raster = sized(scale);
  const isSmall = raster.width <= MOST_STILL * frame.width && raster.height <= MOST_STILL * frame.height;
  const moves = transform ? isKeyed(transform, 'across', 'down', 'scale', 'rotation') : false;
  if (!moves && isSmall && (!transform || numberAt(transform, 'rotation') % 360 === 0)) {
    const [across, down] = transform
      ? [numberAt(transform, 'across') / 100, numberAt(transform, 'down') / 100]
      : [0, 0];
    const x = evenPlace((frame.width - raster.width) / 2 + across * frame.width + 0.5);
    const y = evenPlace((frame.height - raster.height) / 2 + down * frame.height + 0.5);
    return { raster, natural, placement: { x, y, ...raster } };
  }
  const room = Math.min(
    (MOST_MOVING * frame.width) / natural.width,
    (MOST_MOVING * frame.height) / natural.height,
  );
  return { raster: sized(Math.min(scale, Math.max(1, 1 / ratio), room)), natural, placement: null };
}

/**
 * The stages that the effects of a clip go through. The picture of the first is made from the source; that of each later
 * one is the frame that the stage before it gives out, with alpha.
 * @param picture size of the source in square pixels, upright
 */
export function stagesOf(
  effects: readonly KnownEffect[],
  picture: FrameSize,
  frame: FrameSize,
  framing: Framing = 'fit',
): readonly [Stage, ...Stage[]] {
  const [first = [], ...later] = splitStages(effects);
  return [
    { effects: first, pose: poseOf(first, picture, frame, framing) },
    ...later.map((each) => ({ effects: each, pose: poseInFrame(each, frame) })),
  ];
}

/**
 * Whether the effects of a clip can be done where frames are composed: one stage holds them, and its picture goes straight
 * into the frame.
 */
export const isDoneInComposing = (effects: readonly KnownEffect[]): boolean =>
  splitStages(effects).length === 1;

/** A stage without its effects of pixels. */
export const bareStage = ({ effects, pose }: Stage): Stage => ({
  effects: effects.filter(({ kind }) => passKindOf(kind) === null),
  pose,
});

/** Position of a picture that has the size of the frame already: it is not rendered at another scale. */
function poseInFrame(effects: readonly KnownEffect[], frame: FrameSize): Pose {
  const { raster, placement } = poseOf(effects, frame, frame);
  const isSameSize = raster.width === frame.width && raster.height === frame.height;
  return { raster: frame, natural: frame, placement: isSameSize ? placement : null };
}

function largest(effect: KnownEffect, name: string): number {
  const row = effect.keyframes?.[name];
  const frames = row?.length ? row.map(({ frame }) => frame) : [0];
  return Math.max(...frames.map((frame) => numberAt(effect, name, frame)));
}

const STILL: KnownEffect = { id: 'still', kind: 'transform', enabled: true, values: {} };

/** Map from points of the frame to the raster of a picture that turns or moves. */
export function affineOf<N>(
  effects: readonly KnownEffect[],
  pose: Pose,
  frame: FrameSize,
  by: Arithmetic<N>,
): Affine<N> {
  const transform = transformOf(effects) ?? STILL;
  const scale = by.value(transform, 'scale');
  const angle = by.line(by.value(transform, 'rotation'), Math.PI / 180);
  const wide = by.over((100 * pose.raster.width) / pose.natural.width, scale);
  const high = by.over((100 * pose.raster.height) / pose.natural.height, scale);
  const x = by.line(by.value(transform, 'across'), frame.width / 100, frame.width / 2);
  const y = by.line(by.value(transform, 'down'), frame.height / 100, frame.height / 2);
  const [cos, sin] = [by.cos(angle), by.sin(angle)];
  const along = by.sum(by.times(cos, x), by.times(sin, y));
  const across = by.sum(by.times(cos, y), by.line(by.times(sin, x), -1));
  return {
    a: by.times(wide, cos),
    b: by.times(wide, sin),
    c: by.line(by.times(wide, along), -1, pose.raster.width / 2),
    d: by.line(by.times(high, sin), -1),
    e: by.times(high, cos),
    f: by.line(by.times(high, across), -1, pose.raster.height / 2),
  };
}

/** The part of a picture that is seen. Lengths are pixels of its raster; `N` is a number, or an expression for one. */
export interface ShapeParts<N> {
  readonly isEllipse: boolean;
  readonly keepsInside: boolean;
  readonly x: N;
  readonly y: N;
  readonly halfWidth: N;
  readonly halfHeight: N;
  /** Radians, clockwise. */
  readonly angle: N;
  /** Pixels from seen to unseen, at least one. */
  readonly feather: N;
  /** Opacity removed outside the mask, 0 to 1. */
  readonly strength: N;
}

/** Arithmetic on numbers, or on text that expresses them. */
export interface Arithmetic<N> {
  /** Value of a parameter. */
  value(effect: KnownEffect, name: string): N;
  /** N times `by`, plus `plus`. */
  line(value: N, by: number, plus?: number): N;
  sum(a: N, b: N): N;
  times(a: N, b: N): N;
  /** A number over N. */
  over(value: number, by: N): N;
  cos(angle: N): N;
  sin(angle: N): N;
  /** The larger of N and a number. */
  atLeast(value: N, least: number): N;
}

/** Computes with the values of a frame, counted from the clip's first. */
export const numbersAt = (frame: number): Arithmetic<number> => ({
  value: (effect, name) => numberAt(effect, name, frame),
  line: (value, by, plus = 0) => value * by + plus,
  sum: (a, b) => a + b,
  times: (a, b) => a * b,
  over: (value, by) => value / by,
  cos: Math.cos,
  sin: Math.sin,
  atLeast: Math.max,
});

const hasCrop = (transform: KnownEffect | undefined): boolean =>
  transform !== undefined && CROPS.some((name) => isKeyed(transform, name) || numberAt(transform, name) > 0);

const CROPS = ['cropLeft', 'cropRight', 'cropTop', 'cropBottom'] as const;

/** All shapes that cut a picture: masks, and the crop of its transform. */
export function shapesOf<N>(
  effects: readonly KnownEffect[],
  { width, height }: FrameSize,
  by: Arithmetic<N>,
): ShapeParts<N>[] {
  const shapes = effects
    .filter(({ kind }) => kind === 'mask')
    .map((mask): ShapeParts<N> => ({
      isEllipse: textOf(mask, 'shape') === 'ellipse',
      keepsInside: textOf(mask, 'side') === 'inside',
      x: by.line(by.value(mask, 'across'), width / 100),
      y: by.line(by.value(mask, 'down'), height / 100),
      halfWidth: by.atLeast(by.line(by.value(mask, 'width'), width / 200), 0.5),
      halfHeight: by.atLeast(by.line(by.value(mask, 'height'), height / 200), 0.5),
      angle: by.line(by.value(mask, 'rotation'), Math.PI / 180),
      feather: by.atLeast(by.line(by.value(mask, 'feather'), height / 100), 1),
      strength: by.line(by.value(mask, 'opacity'), 1 / 100),
    }));
  const transform = transformOf(effects);
  if (!transform || !hasCrop(transform)) return shapes;
  const edge = (name: string): N => by.value(transform, name);
  const none = (value: number): N => by.line(edge('cropLeft'), 0, value);
  const middle = (from: N, to: N, size: number): N =>
    by.sum(by.line(from, size / 200, size / 2), by.line(to, -size / 200));
  const half = (from: N, to: N, size: number): N =>
    by.sum(by.line(from, -size / 200, size / 2), by.line(to, -size / 200));
  const crop: ShapeParts<N> = {
    isEllipse: false,
    keepsInside: true,
    x: middle(edge('cropLeft'), edge('cropRight'), width),
    y: middle(edge('cropTop'), edge('cropBottom'), height),
    halfWidth: half(edge('cropLeft'), edge('cropRight'), width),
    halfHeight: half(edge('cropTop'), edge('cropBottom'), height),
    angle: none(0),
    feather: none(1),
    strength: none(1),
  };
  return [...shapes, crop];
}

/** Whether the shapes of a picture change along its clip. */
export const shapesMove = (effects: readonly KnownEffect[]): boolean =>
  effects.some(
    (effect) =>
      (effect.kind === 'mask' && isKeyed(effect, ...Object.keys(effect.keyframes ?? {}))) ||
      (effect.kind === 'transform' && isKeyed(effect, ...CROPS)),
  );

/** Opacity of a picture in a frame of its clip, 0 to 1. */
export const opacityAt = (effects: readonly KnownEffect[], frame: number): number => {
  const transform = transformOf(effects);
  return transform ? numberAt(transform, 'opacity', frame) / 100 : 1;
};

/** Whether a picture is opaque throughout: no crop, mask, blend mode or transparency. */
export const isOpaque = (effects: readonly KnownEffect[]): boolean =>
  !isMasked(effects) && !hasCrop(transformOf(effects)) && opacityIsFull(effects);

export const isMasked = (effects: readonly KnownEffect[]): boolean =>
  effects.some(({ kind }) => kind === 'mask');

/** Whether a picture has its whole opacity in every frame. */
export function opacityIsFull(effects: readonly KnownEffect[]): boolean {
  const transform = transformOf(effects);
  return !transform || (!isKeyed(transform, 'opacity') && numberAt(transform, 'opacity') === 100);
}

/**
 * The part of a raster that its transform does not crop, in pixels of it; it may be empty.
 * @returns undefined where the crop changes along the clip
 */
export function cropOf(effects: readonly KnownEffect[], { width, height }: FrameSize): Area | undefined {
  const transform = transformOf(effects);
  if (!transform) return { left: 0, top: 0, right: width, bottom: height };
  if (isKeyed(transform, ...CROPS)) return undefined;
  const cut = (name: string, side: number): number => (numberAt(transform, name) * side) / 100;
  return {
    left: cut('cropLeft', width),
    top: cut('cropTop', height),
    right: width - cut('cropRight', width),
    bottom: height - cut('cropBottom', height),
  };
}

/** Whether a picture has no opacity in any frame. */
export function isInvisible(effects: readonly KnownEffect[]): boolean {
  const transform = transformOf(effects);
  return transform !== undefined && !isKeyed(transform, 'opacity') && numberAt(transform, 'opacity') === 0;
}

/** Share of a picture that is seen at a point of its raster, 0 to 1. */
export function seenAtPoint(shapes: readonly ShapeParts<number>[], x: number, y: number): number {
  return shapes.reduce((share, shape) => share * seenIn(shape, x, y), 1);
}

function seenIn(shape: ShapeParts<number>, x: number, y: number): number {
  const [dx, dy] = [x - shape.x, y - shape.y];
  const [cos, sin] = [Math.cos(shape.angle), Math.sin(shape.angle)];
  const [u, v] = [dx * cos + dy * sin, dy * cos - dx * sin];
  const { halfWidth, halfHeight } = shape;
  const inside = shape.isEllipse
    ? (1 - Math.hypot(u / halfWidth, v / halfHeight)) * Math.min(halfWidth, halfHeight)
    : Math.min(halfWidth - Math.abs(u), halfHeight - Math.abs(v));
  const share = Math.min(1, Math.max(0, 0.5 + inside / shape.feather));
  return 1 - shape.strength * (shape.keepsInside ? 1 - share : share);
}
