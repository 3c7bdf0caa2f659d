import type { FrameSize } from '../../timeline/index.js';
import { formatRational, type Rational } from '../../time/index.js';
import { counted } from '../counted.js';
import { videoColour, type VideoColour } from '../mix.js';
import { lightGains, LUMA, MIDDLE, type TableOf } from './colour.js';
import { digits, expressionsOf, shapeExpression } from './expressions.js';
import {
  affineOf,
  isOpaque,
  shapesMove,
  shapesOf,
  transformOf,
  type Affine,
  type Pose,
  type Reckoning,
} from './geometry.js';
import { BLUR_PASSES } from './recursion.js';
import { INTERPOLATED_DEVIATION, pixelSteps, vignetteBend, VIGNETTE_POWER, type PixelStep } from './steps.js';
import { titleDrawing, titlePath, type TitleFont } from './title.js';
import { isKeyed, numberAt, textOf, type KnownEffect } from './values.js';

/** What the filters of effects need besides the picture. */
export interface EffectAssets {
  readonly tableOf: TableOf;
  /** Path of the file of a colour table. */
  tableFile(id: string): string;
  font(): TitleFont;
  /** Takes in a drawing as SVG; returns the label under which the filters find it. */
  drawing(svg: string): string;
}

/** A piece of a clip that goes through filters: frames [at, at + frames) of the clip. */
export interface FilterPiece {
  /** A prefix that nothing else in the graph has. */
  readonly name: string;
  readonly rate: Rational;
  readonly at: number;
  readonly frames: number;
}

/** The labels of a filter graph that is being written. */
class Writer {
  readonly filters: string[] = [];
  private count = 0;

  constructor(private readonly piece: FilterPiece) {}

  label(): string {
    return `${this.piece.name}e${this.count++}`;
  }

  /** Adds a chain and gives back the label of its output. */
  chain(inputs: readonly string[], text: string): string {
    const output = this.label();
    this.filters.push(`${inputs.map((input) => `[${input}]`).join('')}${text}[${output}]`);
    return output;
  }

  split(input: string, count: number): string[] {
    const outputs = Array.from({ length: count }, () => this.label());
    this.filters.push(`[${input}]split=${count}${outputs.map((output) => `[${output}]`).join('')}`);
    return outputs;
  }

  planes(input: string, planes: string): string[] {
    const outputs = planes.split('+').map(() => this.label());
    this.filters.push(`[${input}]extractplanes=${planes}${outputs.map((output) => `[${output}]`).join('')}`);
    return outputs;
  }

  /** One frame that stands still for the length of the piece. */
  still(inputs: readonly string[], text: string): string {
    return this.chain(
      inputs,
      `${text},trim=end_frame=1,loop=loop=-1:size=1,trim=end_frame=${this.piece.frames},${this.counted}`,
    );
  }

  /** A frame of one value for each frame of the piece. */
  grey({ width, height }: FrameSize): string {
    const { rate, frames } = this.piece;
    return `color=black:s=${width}x${height}:r=${formatRational(rate)},format=gray,trim=end_frame=${frames},${this.counted}`;
  }

  get counted(): string {
    return counted(this.piece.rate);
  }

  /** The frame of the clip, where N counts the frames of the piece. */
  get frame(): string {
    return `(N+${digits(this.piece.at)})`;
  }
}

/** What is merged or overlaid is told by BT.709 and limited range, whatever a filter on the way forgot. */
export const COLOUR_TAGS = 'setparams=range=tv:color_primaries=bt709:color_trc=bt709:colorspace=bt709';

const OVER = 'overlay=0:0:format=yuv420:eof_action=repeat';

/** Room for a value that is the same all over a picture. */
const SMALL: FrameSize = { width: 16, height: 16 };

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
 * @param input label of the picture in its raster, 8-bit 4:2:0, its frames counted from 0
 * @returns label of a picture with or without alpha, which is laid over what is below at `corner`
 */
export function effectFilters(
  input: string,
  effects: readonly KnownEffect[],
  pose: Pose,
  frame: FrameSize,
  piece: FilterPiece,
  assets: EffectAssets,
): { readonly filters: readonly string[]; readonly label: string } {
  const writer = new Writer(piece);
  let label = input;
  for (const step of pixelSteps(effects, pose.raster)) label = done(writer, label, step, pose.raster, assets);
  if (pose.placement) {
    if (!isOpaque(effects)) label = writer.chain([label, seen(writer, effects, pose.raster)], 'alphamerge');
  } else {
    label = moved(writer, label, seen(writer, effects, pose.raster), effects, pose, frame);
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

/** A value that is the same all over the picture, told for each frame. */
function uniform(writer: Writer, share: string, { width, height }: FrameSize): string {
  return writer.chain(
    [],
    `${writer.grey(SMALL)},geq=lum='clip(255*${share}+0.5,0,255)',scale=${width}:${height}:flags=neighbor,setsar=1`,
  );
}

/** One colour over a picture, as much as an alpha says. */
export function flatOver(
  writer: Pick<Writer, 'chain' | 'still' | 'grey'>,
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
    const light = 'if(lt(val,0.081*maxval),val/maxval/4.5,((val/maxval+0.099)/1.099)^(1/0.45))';
    const channels = gains.map((gain, channel) => {
      const scaled = `(${light})*${digits(gain)}`;
      const coded = `st(0,${scaled});if(lt(ld(0),0.018),4.5*ld(0),1.099*ld(0)^0.45-0.099)`;
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

/** How much of each pixel of a raster is seen, as a grey picture. */
function seen(writer: Writer, effects: readonly KnownEffect[], raster: FrameSize): string {
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

/** Pixels around a raster that is turned, for what is interpolated at its edges. */
const MARGIN = 2;

// Each plane is moved by its own map: the filter perspective with a map that keeps parallels.
function moved(
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
  by: Reckoning<string>,
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
