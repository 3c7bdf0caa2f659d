import { join } from 'node:path';
import type { ColourTable } from '@hone/core/interchange';
import { tablesOf, type RenderAssets, type RenderGraph } from '@hone/core/render';
import { shippedFont } from './fonts.js';
import type { TableStore } from './table-store.js';

/**
 * What the effects of a graph are made with.
 * @param folder where drawings are written to
 * @throws UserError when a colour table is not kept here
 */
export async function effectAssets(
  graph: RenderGraph,
  tables: TableStore,
  folder: string,
): Promise<Pick<RenderAssets, 'tableOf' | 'tableFile' | 'font' | 'drawingFile'>> {
  const read = new Map<string, ColourTable>();
  for (const id of tablesOf(graph)) read.set(id, await tables.table(id));
  const font = await shippedFont();
  return {
    tableOf: (id) => read.get(id),
    tableFile: (id) => tables.file(id),
    font: () => font,
    drawingFile: (number) => join(folder, `title ${number}.svg`),
  };
}
