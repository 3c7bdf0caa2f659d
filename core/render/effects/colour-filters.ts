import { KNEE, lightGains, LUMA, MIDDLE, OFFSET, type TableOf } from './colour.js';
import { digits } from './expressions.js';
import { numberAt, textOf, type KnownEffect } from './values.js';
import { COLOUR_TAGS, type Writer } from './writer.js';

/** Inputs of colour filters beside the picture. */
export interface ColourAssets {
  readonly tableOf: TableOf;
  /** Path of the file of a colour table. */
  tableFile(id: string): string;
}

/** Label of a picture after colour effects that follow each other. */
export function coloured(
  writer: Writer,
  input: string,
  effects: readonly KnownEffect[],
  assets: ColourAssets,
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

function colouredBy(writer: Writer, label: string, effect: KnownEffect, assets: ColourAssets): string {
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
