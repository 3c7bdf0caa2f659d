import { formatRational, type Rational } from '../time/index.js';
import type { Layer, Placement } from './graph.js';
import { videoColour, type Mix } from './mix.js';

/** A layer that is ready to be put in its place. */
export interface SizedLayer extends Pick<Layer, 'mix'> {
  /** Label of the filter chain that gives it out. */
  readonly label: string;
  readonly placement: Placement;
}

/**
 * ffmpeg's filters that put layers on each other, the lowest first.
 * @param base label of what all stand on
 * @param from timeline frame of the first frame; those that follow are told by their time, which must be exact
 * @param name a prefix that nothing else in the graph has
 * @param after what follows each mix, to count its frames anew
 */
export function layerFilters(
  layers: readonly SizedLayer[],
  base: string,
  from: number,
  rate: Rational,
  name: string,
  after = '',
): { readonly filters: readonly string[]; readonly label: string } {
  const filters: string[] = [];
  let below = base;
  // Of two that give way to each other, the upper one stands on what is below both.
  let beneath = base;
  layers.forEach(({ label, placement, mix }, index) => {
    const over = `${name}over${index}`;
    let ground = mix ? beneath : below;
    if (layers[index + 1]?.mix) {
      ground = `${name}ground${index}`;
      beneath = `${name}beneath${index}`;
      filters.push(`[${below}]split[${ground}][${beneath}]`);
    }
    filters.push(
      `[${ground}][${label}]overlay=${placement.x}:${placement.y}:format=yuv420:eof_action=repeat[${over}]`,
    );
    if (!mix) {
      below = over;
      return;
    }
    const mixed = `${name}mixed${index}`;
    filters.push(`[${below}][${over}]${mixFilter(mix, from, rate)}${after}[${mixed}]`);
    below = mixed;
  });
  return { filters, label: below };
}

/** The source of a dip's colours is `videoColour`. */
function mixFilter({ kind, from, to, colour }: Mix, start: number, rate: Rational): string {
  const share = `((T*${formatRational(rate)}+${start - from + 1})/${to - from + 1})`;
  if (kind === 'crossfade') return `blend=all_expr='A*(1-${share})+B*${share}+0.5'`;
  if (kind === 'wipe') return `blend=all_expr='if(lt(X,W*${share}),B,A)'`;
  const planes = videoColour(colour).map((value, plane) => {
    const goes = `A*(1-2*${share})+${value}*2*${share}`;
    const comes = `${value}*(2-2*${share})+B*(2*${share}-1)`;
    return `c${plane}_expr='if(lt(${share},0.5),${goes},${comes})+0.5'`;
  });
  return `blend=${planes.join(':')}`;
}
