import type { FrameSize } from '../../timeline/index.js';
import { numberAt, textOf, type KnownEffect } from './values.js';

/** Files of the shipped typeface, for one range of characters each; the first that has a character draws it. */
export const TITLE_FONT_FILES = ['latin', 'latin-ext', 'greek', 'cyrillic', 'vietnamese'].map(
  (range) => `inter-${range}-600-normal.woff`,
);

interface Glyph {
  readonly advanceWidth?: number | undefined;
  getPath(x: number, y: number, size: number): { toPathData(decimals: number): string };
}

/** A file of a typeface that was read. */
export interface Typeface {
  readonly unitsPerEm: number;
  /** Zero for a character that it does not have. */
  charToGlyphIndex(character: string): number;
  charToGlyph(character: string): unknown;
  getKerningValue(left: unknown, right: unknown): number;
}

/** The typeface of titles, in the order of TITLE_FONT_FILES. */
export type TitleFont = readonly Typeface[];

/** From one line of text to the next, in heights of a line. */
const LINE_STEP = 1.2;

/**
 * Outlines of a title in a picture, as the path data of Scalable Vector Graphics (SVG 1.1, 8.3). Both the preview and
 * the export fill this path, so that a title has the same shape at any size.
 */
export function titlePath(effect: KnownEffect, font: TitleFont, { width, height }: FrameSize): string {
  const size = (numberAt(effect, 'size') / 100) * height;
  const lines = textOf(effect, 'text').split('\n');
  const share = { left: 0, centre: 0.5, right: 1 }[textOf(effect, 'align')] ?? 0.5;
  const x = (numberAt(effect, 'across') / 100) * width;
  const y = (numberAt(effect, 'down') / 100) * height;
  // The block of lines is centred on its position; a capital letter is about 0.72 of a line high.
  const first = y + 0.36 * size - ((lines.length - 1) * LINE_STEP * size) / 2;
  return lines
    .flatMap((line, index) => {
      const signs = signsOf(line, font, size);
      let at = x - share * signs.reduce((sum, { advance }) => sum + advance, 0);
      return signs.map(({ glyph, advance }) => {
        const path = glyph.getPath(at, first + index * LINE_STEP * size, size).toPathData(2);
        at += advance;
        return path;
      });
    })
    .join('');
}

/** The signs of a line, each with the way to the next in pixels. */
function signsOf(line: string, font: TitleFont, size: number): { glyph: Glyph; advance: number }[] {
  const signs = Array.from(line, (character) => {
    const face = font.find((each) => each.charToGlyphIndex(character) > 0) ?? font[0]!;
    return { face, glyph: face.charToGlyph(character) as Glyph };
  });
  return signs.map(({ face, glyph }, index) => {
    const next = signs[index + 1];
    const kerning = next?.face === face ? face.getKerningValue(glyph, next.glyph) : 0;
    return { glyph, advance: (((glyph.advanceWidth ?? 0) + kerning) / face.unitsPerEm) * size };
  });
}

/** A title as a picture: white where it is, and clear elsewhere. */
export const titleDrawing = (path: string, { width, height }: FrameSize): string =>
  `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}">` +
  `<path fill="#ffffff" d="${path}"/></svg>`;
