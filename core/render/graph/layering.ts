import { formatRational, type Rational } from '../../time/index.js';
import { frameTimebase } from './frame-timebase.js';
import { COLOUR_TAGS } from '../effects/index.js';
import type { Layer } from './graph.js';
import { videoColour, type Mix } from './mix.js';

/** A layer that is ready to be put in its place. */
export interface SizedLayer extends Pick<Layer, 'mix'> {
  /** Label of the filter chain that gives it out, with or without alpha. */
  readonly label: string;
  /** Position of its top left corner: even numbers, below zero outside the frame. */
  readonly corner: { readonly x: number; readonly y: number };
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
 * @param base label of what all stand on
 * @param name a prefix that nothing else in the graph has
 */
export function layerFilters(
  layers: readonly SizedLayer[],
  base: string,
  frames: LayeredFrames,
  name: string,
): { readonly filters: readonly string[]; readonly label: string } {
  const filters: string[] = [];
  let below = base;
  // In a transition, the upper of its two clips is composed over the layers below both.
  let beneath = base;
  layers.forEach(({ label, corner, mix }, index) => {
    const over = `${name}over${index}`;
    let ground = mix ? beneath : below;
    if (layers[index + 1]?.mix) {
      ground = `${name}ground${index}`;
      beneath = `${name}beneath${index}`;
      filters.push(`[${below}]split[${ground}][${beneath}]`);
    }
    filters.push(`[${ground}][${label}]overlay=${corner.x}:${corner.y}:${KEEPS}[${over}]`);
    if (!mix) {
      below = over;
      return;
    }
    const mixed = `${name}mixed${index}`;
    filters.push(...mixFilters(mix, below, over, mixed, frames));
    below = mixed;
  });
  return { filters, label: below };
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
