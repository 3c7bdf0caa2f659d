import type { FrameSize } from '../../timeline/index.js';
import { videoColour, type VideoColour } from '../mix.js';
import { KNEE, lightGains, LUMA, MIDDLE, OFFSET, type TableOf } from './colour.js';
import { digits, expressionsOf } from './expressions.js';
import { isOpaque, type Pose } from './geometry.js';
import { BLUR_PASSES } from './recursion.js';
import { INTERPOLATED_DEVIATION, pixelSteps, vignetteBend, VIGNETTE_POWER, type PixelStep } from './steps.js';
import { titleDrawing, titlePath, type TitleFont } from './title.js';
import { isKeyed, numberAt, textOf, type KnownEffect } from './values.js';
import { moved, seen } from './seen-filters.js';
import { COLOUR_TAGS, uniform, Writer, type FilterPiece } from './writer.js';

/** What the filters of effects need besides the picture. */
export interface EffectAssets {
  readonly tableOf: TableOf;
  /** Path of the file of a colour table. */
  tableFile(id: string): string;
  font(): TitleFont;
  /** Takes in a drawing as SVG; returns the label under which the filters find it. */
  drawing(svg: string): string;
}

const OVER = 'overlay=0:0:format=yuv420:eof_action=repeat';

/** Whether frames beside a frame have a say in it. */
export const isTemporal = ({ kind }: KnownEffect): boolean => kind === 'denoise';

/**
 * What comes before the frames of a clip are picked: temporal noise reduction, by the mean of what is alike in the
 * frames beside (ffmpeg's filter `atadenoise`).
 */
export function temporalFilters(effects: readonly KnownEffect[]): string {
  return effects
    .filter(isTemporal)
    .map((effect) => {
      const alike = (0.1 * numberAt(effect, 'strength')) / 100;
      const planes = [0, 1, 2].map((plane) => `${plane}a=${digits(alike)}:${plane}b=${digits(2 * alike)}`);
      return `atadenoise=${planes.join(':')}:s=${2 * Math.floor(numberAt(effect, 'frames') / 2) + 1},`;
    })
    .join('');
}

/**
 * ffmpeg's filters for the effects of a clip.
 * @param input labels of the picture in its raster, 8-bit 4:2:0, its frames counted from 0, and of its own alpha, if any
 * @returns label of a picture with or without alpha, which is laid over what is below at `corner`
 */
export function effectFilters(
  input: { readonly picture: string; readonly alpha: string | null },
  effects: readonly KnownEffect[],
  pose: Pose,
  frame: FrameSize,
  piece: FilterPiece,
  assets: EffectAssets,
): { readonly filters: readonly string[]; readonly label: string } {
  const writer = new Writer(piece);
  let label = input.picture;
  const shape = (): string => {
    const own = input.alpha;
    if (own === null) return seen(writer, effects, pose.raster);
    if (isOpaque(effects)) return own;
    return writer.chain([own, seen(writer, effects, pose.raster)], 'blend=all_mode=multiply');
  };
  for (const step of pixelSteps(effects, pose.raster)) label = done(writer, label, step, pose.raster, assets);
  if (pose.placement) {
    if (input.alpha !== null || !isOpaque(effects)) label = writer.chain([label, shape()], 'alphamerge');
  } else {
    label = moved(writer, label, shape(), effects, pose, frame);
  }
  return { filters: writer.filters, label };
}

function done(
  writer: Writer,
  input: string,
  step: PixelStep,
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
      const amount = `lut2=c0='clip(x+(x-y)*${digits(step.amount)}+0.5,0,255)'`;
      return withLuma(writer, input, (luma) => {
        const [sharp, soft] = writer.split(luma, 2) as [string, string];
        return writer.chain([sharp, writer.chain([soft], gaussian(step.deviation))], amount);
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

const gaussian = (deviation: number): string => `gblur=sigma=${digits(deviation)}:steps=${BLUR_PASSES}`;

/** Changes the luma of a picture. All that is merged has one format, since the filter lets no input have another. */
function withLuma(writer: Writer, picture: string, change: (luma: string) => string): string {
  const [luma, blue, red] = writer.planes(picture, 'y+u+v') as [string, string, string];
  return merged(writer, [change(luma), blue, red]);
}

const merged = (writer: Writer, planes: readonly string[]): string =>
  writer.chain(planes, `mergeplanes=map1s=1:map2s=2:format=yuv420p,${COLOUR_TAGS}`);

/** One colour over a picture, as much as an alpha says. */
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
  return writer.chain([input, writer.chain([flat, alpha], 'alphamerge')], OVER);
}

// Grain is made on its own grid, of one sample for each grain, and put over the luma.
function grained(
  writer: Writer,
  input: string,
  { deviation, cell }: Extract<PixelStep, { kind: 'grain' }>,
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

function coloured(
  writer: Writer,
  input: string,
  effects: readonly KnownEffect[],
  assets: EffectAssets,
): string {
  let label = writer.chain(
    [input],
    'scale=flags=neighbor+accurate_rnd+full_chroma_int:in_color_matrix=bt709:in_range=tv,format=gbrp16le',
  );
  for (const effect of effects) label = colouredBy(writer, label, effect, assets);
  return writer.chain(
    [label],
    `scale=flags=area+accurate_rnd+full_chroma_inp:out_color_matrix=bt709:out_range=tv,format=yuv420p,${COLOUR_TAGS}`,
  );
}

function colouredBy(writer: Writer, label: string, effect: KnownEffect, assets: EffectAssets): string {
  const gains = lightGains(effect);
  if (gains) {
    // BT.709 item 1.2 and its inverse, as in `toLight` and `fromLight`.
    const light = `if(lt(val,${4.5 * KNEE}*maxval),val/maxval/4.5,((val/maxval+${OFFSET})/${1 + OFFSET})^(1/0.45))`;
    const channels = gains.map((gain, channel) => {
      const scaled = `(${light})*${digits(gain)}`;
      const coded = `st(0,${scaled});if(lt(ld(0),${KNEE}),4.5*ld(0),${1 + OFFSET}*ld(0)^0.45-${OFFSET})`;
      return `${'rgb'[channel]}='clip(maxval*(${coded})+0.5,0,maxval)'`;
    });
    return writer.chain([label], `lutrgb=${channels.join(':')}`);
  }
  if (effect.kind === 'contrast') {
    const turned = `clip(maxval*${MIDDLE}+${digits(numberAt(effect, 'contrast') / 100)}*(val-maxval*${MIDDLE})+0.5,0,maxval)`;
    return writer.chain([label], `lutrgb=r='${turned}':g='${turned}':b='${turned}'`);
  }
  if (effect.kind === 'saturation') {
    const share = numberAt(effect, 'saturation') / 100;
    const mixed = (['r', 'g', 'b'] as const).flatMap((to, row) =>
      (['r', 'g', 'b'] as const).map((from, column) => {
        const weight = (1 - share) * LUMA[column]! + (row === column ? share : 0);
        return `${to}${from}=${digits(weight).replace(/[()]/g, '')}`;
      }),
    );
    return writer.chain([label], `colorchannelmixer=${mixed.join(':')}`);
  }
  const id = textOf(effect, 'table');
  const table = assets.tableOf(id);
  if (!table) return label;
  const strength = numberAt(effect, 'strength') / 100;
  const file = escaped(assets.tableFile(id));
  const filter =
    table.kind === '3D' ? `lut3d=file=${file}:interp=tetrahedral` : `lut1d=file=${file}:interp=linear`;
  if (strength === 1) return writer.chain([label], filter);
  const [plain, other] = writer.split(label, 2) as [string, string];
  const looked = writer.chain([other], filter);
  return writer.chain([looked, plain], `blend=all_mode=normal:all_opacity=${digits(strength)}`);
}

/** A path within a filter graph: escaped for the option and for the graph. */
const escaped = (path: string): string =>
  path.replace(/[\\':]/g, (sign) => `\\${sign}`).replace(/[\\'[\],;]/g, (sign) => `\\${sign}`);
