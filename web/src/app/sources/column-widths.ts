import type { Source } from '@hone/core/api';
import type { CellContext, SourceColumn } from './source-columns';

/** Rows that are measured, at most: of many sources, the first stand for all. */
const MEASURED = 300;
const PADDING = 18;
const WIDEST = 320;
const FONT = "560 13px 'Inter Variable', sans-serif";

let pen: CanvasRenderingContext2D | null | undefined;

/** Widths at which columns show all that they hold, CSS pixels; the heads have room for the sign of their order. */
export function fittedWidths(
  columns: readonly SourceColumn[],
  sources: readonly Source[],
  context: CellContext,
): number[] {
  pen ??= document.createElement('canvas').getContext('2d');
  const { font } = pen!;
  if (font !== FONT) pen!.font = FONT;
  // A canvas has no tabular figures: the widest digit stands for all, with a little room for hinting.
  const widthOf = (text: string): number => 1.04 * pen!.measureText(text.replace(/\d/g, '0')).width;
  const rows = sources.filter(({ problem }) => !problem).slice(0, MEASURED);
  return columns.map((column) => {
    const texts = new Set(rows.map((source) => column.text(source, context)));
    const widest = Math.max(widthOf(`${column.title} ↓`), ...[...texts].map(widthOf));
    return Math.min(WIDEST, Math.ceil(widest) + PADDING);
  });
}
