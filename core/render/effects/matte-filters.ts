import type { FrameSize } from '../../timeline/index.js';
import { expressionsOf, shapeExpression } from './expressions.js';
import {
  affineOf,
  shapesMove,
  shapesOf,
  transformOf,
  type Affine,
  type Pose,
  type Arithmetic,
} from './geometry.js';
import { isKeyed, type KnownEffect } from './values.js';
import { COLOUR_TAGS, uniform, type Writer } from './writer.js';

/** Opacity of each pixel of a raster, as a grey picture. */
export function matte(writer: Writer, effects: readonly KnownEffect[], raster: FrameSize): string {
  const by = expressionsOf(writer.frame);
  const transform = transformOf(effects);
  const opacity = transform ? by.line(by.value(transform, 'opacity'), 1 / 100) : '1';
  const moves = transform !== undefined && isKeyed(transform, 'opacity');
  const shapes = shapesOf(effects, raster, by);
  if (shapes.length === 0) return uniform(writer, opacity, raster);
  const shape = ['1', ...shapes.map((each) => shapeExpression(each))].join('*');
  const text = (share: string): string => `geq=lum='clip(255*${share}+0.5,0,255)'`;
  if (shapesMove(effects)) return writer.chain([], `${writer.grey(raster)},${text(`${shape}*${opacity}`)}`);
  if (!moves)
    return writer.still([], `${writer.grey(raster)},trim=end_frame=1,${text(`${shape}*${opacity}`)}`);
  const still = writer.still([], `${writer.grey(raster)},trim=end_frame=1,${text(shape)}`);
  return writer.chain([still, uniform(writer, opacity, raster)], 'blend=all_mode=multiply');
}

/** Pixels around a rotated raster, for the interpolation at its edges. */
const MARGIN = 2;

/** A picture that turns or moves: each plane by its own map, the filter perspective with one that keeps parallels. */
export function transformed(
  writer: Writer,
  picture: string,
  alpha: string,
  effects: readonly KnownEffect[],
  pose: Pose,
  frame: FrameSize,
): string {
  // The filter perspective counts its frames from 1.
  const clipFrame = writer.frame.replace('N', 'in-1');
  const by = expressionsOf(clipFrame);
  const affine = affineOf(effects, pose, frame, by);
  const canvas = {
    width: Math.max(frame.width, pose.raster.width + 2 * MARGIN),
    height: Math.max(frame.height, pose.raster.height + 2 * MARGIN),
  };
  const isWithin = `between(X,${MARGIN},${MARGIN + pose.raster.width - 1})*between(Y,${MARGIN},${MARGIN + pose.raster.height - 1})`;
  const window = writer.still([], `${writer.grey(canvas)},trim=end_frame=1,geq=lum='255*${isWithin}'`);
  const warped = (plane: string, divisor: number, isAlpha = false): string => {
    const margin = MARGIN / divisor;
    const [wide, high] = [canvas.width / divisor, canvas.height / divisor];
    const [width, height] = [pose.raster.width / divisor, pose.raster.height / divisor];
    const [inner, outer] = [width + 2 * margin, height + 2 * margin];
    const padded = writer.chain(
      [plane],
      `pad=${inner}:${outer}:${margin}:${margin},format=gray,` +
        `fillborders=left=${margin}:top=${margin}:right=${margin}:bottom=${margin}:mode=smear,` +
        `pad=${wide}:${high}:0:0,format=gray`,
    );
    return writer.chain(
      [isAlpha ? writer.chain([padded, window], 'blend=all_mode=darken') : padded],
      `perspective=${corners(affine, wide, high, divisor, margin, by)}:sense=source:interpolation=linear:eval=frame,` +
        `crop=${frame.width / divisor}:${frame.height / divisor}:0:0:exact=1`,
    );
  };
  const [luma, blue, red] = writer.planes(picture, 'y+u+v') as [string, string, string];
  const planes = [warped(luma, 1), warped(blue, 2), warped(red, 2), warped(alpha, 1, true)];
  return writer.chain(planes, `mergeplanes=map1s=1:map2s=2:map3s=3:format=yuva420p,${COLOUR_TAGS}`);
}

// Where the corners of the canvas lie in the source. The filter counts from the middle of the first pixel.
function corners(
  { a, b, c, d, e, f }: Affine<string>,
  wide: number,
  high: number,
  divisor: number,
  margin: number,
  by: Arithmetic<string>,
): string {
  const places = [
    [0, 0],
    [wide, 0],
    [0, high],
    [wide, high],
  ] as const;
  const place = (along: string, down: string, rest: string, x: number, y: number): string =>
    by.sum(by.sum(by.line(along, x + 0.5), by.line(down, y + 0.5)), by.line(rest, 1 / divisor, margin - 0.5));
  return places
    .map(([x, y], index) => `x${index}='${place(a, b, c, x, y)}':y${index}='${place(d, e, f, x, y)}'`)
    .join(':');
}
