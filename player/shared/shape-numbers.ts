import type { ShapeParts } from '@hone/core/render';

/** Numbers of a shape as the kernel `shapeAlpha` and the shaders take them. */
export const shapeNumbers = (shape: ShapeParts<number>): readonly number[] => [
  shape.isEllipse ? 1 : 0,
  shape.keepsInside ? 1 : 0,
  shape.x,
  shape.y,
  shape.halfWidth,
  shape.halfHeight,
  Math.cos(shape.angle),
  Math.sin(shape.angle),
  shape.feather,
  shape.strength,
];
