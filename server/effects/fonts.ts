import { readFile } from 'node:fs/promises';
import { createRequire } from 'node:module';
import { TITLE_FONT_FILES, type TitleFont } from '@hone/core/render';
import opentype from 'opentype.js';

/** Path of a file of the shipped typeface. */
export const fontFile = (name: string): string =>
  createRequire(import.meta.url).resolve(`@fontsource/inter/files/${name}`);

let shipped: Promise<TitleFont> | undefined;

/** The typeface of titles, read once. */
export function shippedFont(): Promise<TitleFont> {
  shipped ??= Promise.all(
    TITLE_FONT_FILES.map(async (name) => {
      const { buffer, byteOffset, byteLength } = await readFile(fontFile(name));
      return buffer.slice(byteOffset, byteOffset + byteLength);
    }),
  ).then((files) => files.map((file) => opentype.parse(file)));
  return shipped;
}
