import type { FrameSize } from '../../timeline/index.js';
import { videoColour, type VideoColour } from '../graph/mix.js';
import { coloured, type ColourAssets } from './colour-filters.js';
import { digits, expressionsOf } from './expressions.js';
import { BLUR_PASSES } from './recursive-gaussian.js';
import { INTERPOLATED_DEVIATION, vignetteBend, VIGNETTE_POWER, type PixelPass } from './pixel-passes.js';
import { titleDrawing, titlePath, type TitleFont } from './title.js';
import { isKeyed, numberAt, textOf } from './values.js';
import { COLOUR_TAGS, uniform, type Writer } from './writer.js';

/** Inputs of effect filters beside the picture. */
export interface EffectAssets extends ColourAssets {
  font(): TitleFont;
  /** Takes in a drawing as SVG; returns the label under which the filters find it. */
  drawing(svg: string): string;
}

/** Labels of a picture, 8-bit 4:2:0, and of its straight alpha, which is null where all of it is opaque. */
export interface LabelledPicture {
  readonly picture: string;
  readonly alpha: string | null;
}

/** Options of the filter overlay: 4:2:0 for any inputs. */
export const OVER = 'format=yuv420:eof_action=repeat';

/** A picture after a step. A blur takes its alpha along, a title adds to it, and all else leaves it as it is. */
export function stepFilters(
  writer: Writer,
  { picture, alpha }: LabelledPicture,
  step: PixelPass,
  raster: FrameSize,
  assets: EffectAssets,
): LabelledPicture {
  return alpha === null
    ? { picture: done(writer, picture, step, raster, assets), alpha }
    : doneWithAlpha(writer, picture, alpha, step, raster, assets);
}

function doneWithAlpha(
  writer: Writer,
  picture: string,
  alpha: string,
  step: PixelPass,
  raster: FrameSize,
  assets: EffectAssets,
): LabelledPicture {
  if (step.kind === 'blur') return blurredWithAlpha(writer, picture, alpha, step.deviation);
  if (step.kind === 'sharpen') {
    const [kept, weight] = writer.split(alpha, 2) as [string, string];
    const sharp = withLuma(writer, picture, (luma) => {
      const [plain, other] = writer.split(luma, 2) as [string, string];
      const [before, after] = writer.split(weight, 2) as [string, string];
      const blurred = writer.chain([after], gaussian(step.deviation));
      const soft = weighted(writer, other, [before, blurred], step.deviation, 0);
      return writer.chain([plain, soft], sharpened(step.amount));
    });
    return { picture: sharp, alpha: kept };
  }
  if (step.kind === 'title') {
    const merged = writer.chain([picture, alpha], 'alphamerge');
    return separated(writer, done(writer, merged, step, raster, assets));
  }
  return { picture: done(writer, picture, step, raster, assets), alpha };
}

/** Blurs colours by the weight of their alpha, so that nothing bleeds in from where nothing is seen. */
function blurredWithAlpha(
  writer: Writer,
  picture: string,
  alpha: string,
  deviation: number,
): LabelledPicture {
  const [luma, blue, red] = writer.planes(picture, 'y+u+v') as [string, string, string];
  const [before, forHalf, forBlur] = writer.split(alpha, 3) as [string, string, string];
  const [after, kept] = writer.split(writer.chain([forBlur], gaussian(deviation)), 2) as [string, string];
  const half = writer.chain([forHalf], 'scale=iw/2:ih/2:flags=area,format=gray');
  const [halfBlue, halfRed, halfBlur] = writer.split(half, 3) as [string, string, string];
  const blurredHalf = writer.split(writer.chain([halfBlur], gaussian(deviation / 2)), 2) as [string, string];
  const planes = [
    weighted(writer, luma, [before, after], deviation, 0),
    weighted(writer, blue, [halfBlue, blurredHalf[0]], deviation / 2, 128),
    weighted(writer, red, [halfRed, blurredHalf[1]], deviation / 2, 128),
  ];
  return { picture: merged(writer, planes), alpha: kept };
}

/**
 * A plane, blurred by the weight of its alpha.
 * @param weights labels of the alpha, and of the blurred alpha
 * @param middle value of no colour
 */
function weighted(
  writer: Writer,
  plane: string,
  [alpha, blurred]: readonly [string, string],
  deviation: number,
  middle: number,
): string {
  const product = writer.chain([plane, alpha], `lut2=c0='${middle}+(x-${middle})*y/255+0.5'`);
  const soft = writer.chain([product], gaussian(deviation));
  return writer.chain(
    [soft, blurred],
    `lut2=c0='if(y,clip(${middle}+(x-${middle})*255/y+0.5,0,255),${middle})'`,
  );
}

/** The colours and the alpha of a picture that has both. */
export function separated(writer: Writer, label: string): LabelledPicture & { readonly alpha: string } {
  const [colours, whole] = writer.split(label, 2) as [string, string];
  return {
    picture: writer.chain([colours], `format=yuv420p,${COLOUR_TAGS}`),
    alpha: writer.chain([whole], 'alphaextract,format=gray'),
  };
}

function done(
  writer: Writer,
  input: string,
  step: PixelPass,
  raster: FrameSize,
  assets: EffectAssets,
): string {
  switch (step.kind) {
    case 'colour':
      return coloured(writer, input, step.effects, assets);
    case 'blur': {
      const [luma, blue, red] = writer.planes(input, 'y+u+v') as [string, string, string];
      const blurred = [luma, blue, red].map((plane, index) =>
        writer.chain([plane], gaussian(index === 0 ? step.deviation : step.deviation / 2)),
      );
      return merged(writer, blurred);
    }
    case 'sharpen': {
      return withLuma(writer, input, (luma) => {
        const [sharp, soft] = writer.split(luma, 2) as [string, string];
        return writer.chain([sharp, writer.chain([soft], gaussian(step.deviation))], sharpened(step.amount));
      });
    }
    case 'vignette': {
      const { width, height } = raster;
      const radius = Math.hypot(width, height) / 2;
      const square = `((X+0.5-${width / 2})^2+(Y+0.5-${height / 2})^2)/${digits(radius ** 2)}`;
      const loss = `1-(1+${digits(vignetteBend(step.loss))}*${square})^(-${VIGNETTE_POWER})`;
      const alpha = writer.still([], `${writer.grey(raster)},trim=end_frame=1,geq=lum='255*(${loss})+0.5'`);
      return flatOver(writer, input, alpha, [16, 128, 128], raster);
    }
    case 'grain':
      return grained(writer, input, step, raster);
    case 'title': {
      const svg = titleDrawing(titlePath(step.effect, assets.font(), raster), raster);
      let alpha = writer.still([assets.drawing(svg)], 'format=rgba,alphaextract,format=gray');
      if (isKeyed(step.effect, 'opacity') || numberAt(step.effect, 'opacity') < 100) {
        const by = expressionsOf(writer.frame);
        const opacity = uniform(writer, by.line(by.value(step.effect, 'opacity'), 1 / 100), raster);
        alpha = writer.chain([alpha, opacity], 'blend=all_mode=multiply');
      }
      return flatOver(writer, input, alpha, videoColour(textOf(step.effect, 'colour')), raster);
    }
  }
}

const sharpened = (amount: number): string => `lut2=c0='clip(x+(x-y)*${digits(amount)}+0.5,0,255)'`;

const gaussian = (deviation: number): string => `gblur=sigma=${digits(deviation)}:steps=${BLUR_PASSES}`;

/** Changes the luma of a picture. All that is merged has one format, since the filter lets no input have another. */
function withLuma(writer: Writer, picture: string, change: (luma: string) => string): string {
  const [luma, blue, red] = writer.planes(picture, 'y+u+v') as [string, string, string];
  return merged(writer, [change(luma), blue, red]);
}

const merged = (writer: Writer, planes: readonly string[]): string =>
  writer.chain(planes, `mergeplanes=map1s=1:map2s=2:format=yuv420p,${COLOUR_TAGS}`);

/** One colour over a picture, with the opacity of an alpha. */
function flatOver(
  writer: Writer,
  input: string,
  alpha: string,
  [luma, blue, red]: VideoColour,
  raster: FrameSize,
): string {
  const flat = writer.still(
    [],
    `${writer.grey(raster)},trim=end_frame=1,format=yuv420p,lutyuv=y=${luma}:u=${blue}:v=${red},${COLOUR_TAGS}`,
  );
  return writer.chain([input, writer.chain([flat, alpha], 'alphamerge')], `overlay=0:0:${OVER}`);
}

// Grain is made on its own grid, of one sample for each grain, and put over the luma.
function grained(
  writer: Writer,
  input: string,
  { deviation, cell }: Extract<PixelPass, { kind: 'grain' }>,
  raster: FrameSize,
): string {
  const isFine = cell <= 1;
  const grid = {
    width: Math.ceil(raster.width / cell) + (isFine ? 0 : 2),
    height: Math.ceil(raster.height / cell) + (isFine ? 0 : 2),
  };
  // The filter noise gives a deviation of its strength over the root of three.
  const made = NOISE_STRENGTH / Math.sqrt(3);
  const gain = deviation / (isFine ? made : made * INTERPOLATED_DEVIATION);
  const enlarged = {
    width: Math.max(raster.width, Math.round(grid.width * cell)),
    height: Math.max(raster.height, Math.round(grid.height * cell)),
  };
  const sized = isFine
    ? ''
    : `,scale=${enlarged.width}:${enlarged.height}:flags=bilinear,setsar=1,format=gray,crop=${raster.width}:${raster.height}:0:0`;
  const noise = writer.chain(
    [writer.still([], `${writer.grey(grid)},trim=end_frame=1,geq=lum=128`)],
    `noise=c0s=${NOISE_STRENGTH}:c0f=t:c0_seed=${seedOf(writer.frame)}${sized}`,
  );
  const sum = `lut2=c0='clip(x+(y-128)*${digits(gain)}+0.5,0,255)'`;
  return withLuma(writer, input, (luma) => writer.chain([luma, noise], sum));
}

const NOISE_STRENGTH = 55;

// Pieces of one clip that follow each other must not show the same grain.
const seedOf = (frame: string): number => 1 + Number(/\d+/.exec(frame)![0]);
