import type { Stills } from '@hone/core/media';
import { rational } from '@hone/core/time';
import { stillPath } from '../ffmpeg/input.js';

/** Least number of consecutive images that form a sequence. */
export const FEWEST_STILLS = 5;
const IMAGE = /^(.*?)(\d{2,9})\.(png|jpe?g|tiff?|dpx|exr|bmp|webp)$/i;
/** Default rate of stills. */
export const STILLS_RATE = rational(24);

/** A row of numbered images in a folder. */
export interface StillsRow {
  /** File name with a place for the number, as ffmpeg's image2 writes it. */
  readonly pattern: string;
  /** For people. */
  readonly label: string;
  readonly stills: Stills;
}

/**
 * Finds rows of numbered images among the names of a folder. A gap ends a row.
 * @param names file names of one folder
 */
export function stillsIn(names: readonly string[]): StillsRow[] {
  const rows = new Map<string, { stem: string; digits: number; extension: string; numbers: number[] }>();
  for (const name of names) {
    const match = IMAGE.exec(name);
    if (!match) continue;
    const [stem, number, extension] = [match[1]!, match[2]!, match[3]!];
    const key = `${stem}|${number.length}|${extension}`;
    const row = rows.get(key) ?? { stem, digits: number.length, extension, numbers: [] };
    row.numbers.push(Number(number));
    rows.set(key, row);
  }
  return [...rows.values()].flatMap(({ stem, digits, extension, numbers }) => {
    const pattern = `${stem.replaceAll('%', '%%')}%0${digits}d.${extension}`;
    const padded = (value: number): string => String(value).padStart(digits, '0');
    return runsOf(numbers).map(({ first, count }) => ({
      pattern,
      label: `${stem}${padded(first)}–${padded(first + count - 1)}.${extension}`,
      stills: { first, count, rate: STILLS_RATE },
    }));
  });
}

/** File names of the images of a row. */
export const namesOf = ({ pattern, stills: { first, count } }: StillsRow): string[] =>
  Array.from({ length: count }, (_, image) => stillPath(pattern, first + image));

function runsOf(numbers: readonly number[]): { first: number; count: number }[] {
  const sorted = [...numbers].sort((a, b) => a - b);
  const runs: { first: number; count: number }[] = [];
  for (const number of sorted) {
    const last = runs.at(-1);
    if (last && number === last.first + last.count) last.count++;
    else runs.push({ first: number, count: 1 });
  }
  return runs.filter(({ count }) => count >= FEWEST_STILLS);
}
