import { formatRational, type Rational } from '../../time/index.js';
import { frameTimebase } from './frame-timebase.js';
import { COLOUR_TAGS } from '../effects/index.js';
import type { Layer } from './layer.js';
import { videoColour, type Mix } from './mix.js';

/** A layer that is ready to be put in its place. */
export interface SizedLayer extends Pick<Layer, 'mix'> {
  /** Label of the filter chain that gives it out, with or without alpha. */
  readonly label: string;
  /** Position of its top left corner: even numbers, below zero outside the frame. */
  readonly corner: { readonly x: number; readonly y: number };
  /** Whether it is a frame itself, with nothing to be seen below it. */
  readonly isWhole: boolean;
}

/** The frames that layers are put together for. */
export interface LayeredFrames {
  readonly width: number;
  readonly height: number;
  /** Timeline frame of the first frame; the others follow it one by one. */
  readonly from: number;
  readonly count: number;
  readonly rate: Rational;
}

/**
 * ffmpeg's filters that put layers on each other, the lowest first.
 * @param newBase makes what all stand on, and returns its label; called once at the most
 * @param name a prefix that nothing else in the graph has
 */
export function layerFilters(
  layers: readonly SizedLayer[],
  newBase: () => string,
  frames: LayeredFrames,
  name: string,
): { readonly filters: readonly string[]; readonly label: string } {
  const filters: string[] = [];
  let below: string | undefined;
  // In a transition, the upper of its two clips is composed over the layers below both.
  let beneath: string | undefined;
  layers.forEach(({ label, corner, mix, isWhole }, index) => {
    const next = layers[index + 1];
    const isNeededAgain = next?.mix && !next.isWhole;
    let ground: string | undefined;
    if (mix) ground = beneath;
    else if (isNeededAgain && !isWhole) {
      [ground, beneath] = [`${name}ground${index}`, `${name}beneath${index}`];
      filters.push(`[${below ?? newBase()}]split[${ground}][${beneath}]`);
    } else if (isNeededAgain) beneath = below ?? newBase();
    else if (!isWhole) ground = below ?? newBase();
    else if (below !== undefined) filters.push(`[${below}]nullsink`);
    const over = `${name}over${index}`;
    filters.push(
      isWhole
        ? `[${label}]format=yuv420p,${COLOUR_TAGS}[${over}]`
        : `[${ground}][${label}]overlay=${corner.x}:${corner.y}:${KEEPS}[${over}]`,
    );
    if (!mix) {
      below = over;
      return;
    }
    const mixed = `${name}mixed${index}`;
    filters.push(...mixFilters(mix, below!, over, mixed, frames));
    below = mixed;
  });
  return { filters, label: below ?? newBase() };
}

const KEEPS = 'format=yuv420:eof_action=repeat';

/** A mix as an overlay of the incoming picture, with a grey picture as its opacity. */
function mixFilters(mix: Mix, going: string, coming: string, mixed: string, frames: LayeredFrames): string[] {
  const { width, height, from, count, rate } = frames;
  const share = `((N+${from - mix.from + 1})/${mix.to - mix.from + 1})`;
  const grey = (wide: number, high: number, share255: string): string =>
    `color=black:s=${wide}x${high}:r=${formatRational(rate)},format=gray,trim=end_frame=${count},${frameTimebase(rate)},` +
    `geq=lum='clip(${share255}+0.5,0,255)',scale=${width}:${height}:flags=neighbor,setsar=1`;
  const lay = (below: string, above: string, alpha: string, out: string): string[] => [
    `${alpha}[${out}share]`,
    `[${above}][${out}share]alphamerge[${out}above]`,
    `[${below}][${out}above]overlay=0:0:${KEEPS}[${out}]`,
  ];
  if (mix.kind === 'crossfade') return lay(going, coming, grey(SMALL, SMALL, `255*${share}`), mixed);
  if (mix.kind === 'wipe') return lay(going, coming, grey(width, 2, `255*lt(X,W*${share})`), mixed);
  const [luma, blue, red] = videoColour(mix.colour);
  const half = `${mixed}half`;
  const flat = `${mixed}flat`;
  return [
    ...lay(going, coming, grey(SMALL, SMALL, `255*gte(${share},0.5)`), half),
    `color=black:s=${width}x${height}:r=${formatRational(rate)},format=yuv420p,trim=end_frame=1,` +
      `lutyuv=y=${luma}:u=${blue}:v=${red},${COLOUR_TAGS},loop=loop=-1:size=1,trim=end_frame=${count},${frameTimebase(rate)}[${flat}]`,
    ...lay(half, flat, grey(SMALL, SMALL, `255*(1-abs(2*${share}-1))`), mixed),
  ];
}

/** Pixels of a picture that has one value all over. */
const SMALL = 16;
