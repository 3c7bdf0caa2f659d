import { divide, rational, type Rational } from '../time/index.js';
import type { Foreign } from '../timeline/index.js';
import type { Json, JsonObject } from './imported.js';
import type { JsonReader } from './json-reader.js';
import { rationalOf, simplest } from './rates.js';

/** Longer than this, a time is taken to be damaged. */
export const MOST_SECONDS = 1e6;
/** Largest foreign metadata that is kept for each object, bytes. */
const MOST_FOREIGN_CHARACTERS = 200_000;

/** A `TimeRange.1` in seconds. */
export interface Range {
  readonly start: Rational;
  readonly length: Rational;
}

/** For comparing and for limits only. */
export const seconds = (time: Rational): number => time.num / time.den;

/** The name of what a thing is, without its version. */
export function schemaOf(reader: JsonReader): string {
  return reader.at('OTIO_SCHEMA').text('').split('.')[0]!;
}

export function rateOf(time: JsonReader): Rational {
  const rate = time.at('rate');
  try {
    return rationalOf(rate.number());
  } catch (error) {
    return rate.fail(error instanceof Error ? error.message : String(error));
  }
}

/** A `RationalTime.1` in seconds. */
export function timeOf(time: JsonReader): Rational {
  const value = time.at('value').number();
  const rate = rateOf(time);
  if (Math.abs(value / seconds(rate)) > MOST_SECONDS) time.fail('it is longer than any timeline.');
  // Values are whole frames but for those that a speed or another rate has made.
  const frames = Number.isInteger(value) ? rational(value) : simplest(value, 1e-6);
  return divide(frames, rate);
}

export const rangeOf = (range: JsonReader): Range => {
  const length = timeOf(range.at('duration'));
  if (length.num < 0) range.fail('its length is below zero.');
  return { start: timeOf(range.at('start_time')), length };
};

export const lengthOf = (item: JsonReader): Rational => rangeOf(item.at('source_range')).length;

export function sizeOf(size: JsonReader): { width: number; height: number } | null {
  if (size.isMissing) return null;
  const [width, height] = [size.at('width').number(), size.at('height').number()];
  const isSide = (side: number): boolean => Number.isInteger(side) && side >= 16 && side <= 16_384;
  return isSide(width) && isSide(height) ? { width, height } : null;
}

/** An address without its percent signs, as it is when they are broken. */
export function decoded(url: string): string {
  try {
    return decodeURIComponent(url);
  } catch {
    return url;
  }
}

/** Whether what another program wrote is small enough to be kept. */
export const isSmall = (foreign: Foreign): boolean =>
  JSON.stringify(foreign).length <= MOST_FOREIGN_CHARACTERS;

/** Fields that are read where they belong, of every kind of thing. */
const KNOWN = new Set(
  `OTIO_SCHEMA metadata name source_range effects markers enabled children kind tracks global_start_time
  media_reference media_references active_media_reference_key available_range target_url
  transition_type in_offset out_offset comment marked_range`.split(/\s+/),
);

/**
 * Metadata and fields that are not known, as they stand in the file.
 * @param more what else is to be kept
 */
export function foreignOf(item: JsonReader, more: Foreign = {}): { foreign?: Foreign } {
  const metadata = item.at('metadata');
  // What Hone wrote itself is read where it belongs.
  const said = metadata.isMissing ? {} : without(metadata.object(), (key) => key === 'hone');
  const fields = { ...without(item.object(), isKnown), ...more.fields };
  const foreign = {
    ...more,
    ...(Object.keys(said).length ? { metadata: said } : {}),
    ...(Object.keys(fields).length ? { fields } : {}),
  };
  return Object.keys(foreign).length && isSmall(foreign) ? { foreign } : {};
}

// Markers are written in white.
const isKnown = (key: string, value: Json): boolean =>
  KNOWN.has(key) || value === null || (key === 'color' && value === 'WHITE');

const without = (object: JsonObject, isLeftOut: (key: string, value: Json) => boolean): JsonObject =>
  Object.fromEntries(Object.entries(object).filter(([key, value]) => !isLeftOut(key, value)));

/** Notes on parts of a file that cannot be kept: each sentence once, with its place. */
export class Notes {
  private readonly sentences = new Set<string>();

  get all(): readonly string[] {
    return [...this.sentences];
  }

  add(sentence: string): void {
    if (this.sentences.size < 200) this.sentences.add(sentence);
  }

  at({ place }: JsonReader, what: string): void {
    this.add(`${what.charAt(0).toUpperCase()}${what.slice(1)} (${place}).`);
  }
}
