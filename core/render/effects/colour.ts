import { lookUp, type ColourTable } from '../../interchange/cube.js';
import { numberAt, textOf, type KnownEffect } from './values.js';

/** Red, green and blue as they are coded, 0 to 1. */
export type Rgb = readonly [red: number, green: number, blue: number];

/** Looks up a colour table by its identifier; undefined when it is not there. */
export type TableOf = (id: string) => ColourTable | undefined;

/** Weights of red, green and blue in luma: Recommendation ITU-R BT.709, item 3.2. */
export const LUMA = [0.2126, 0.7152, 0.0722] as const;

/** Middle grey, a reflectance of 18 %, as BT.709 codes it: contrast turns about it. */
export const MIDDLE = 0.409;

/**
 * Where the curve of BT.709 passes from its line to its power, and what the power is lowered by. BT.709 rounds them to
 * 0.018 and 0.099, which leaves codes that no light has; Recommendation ITU-R BT.2020, table 4, says of the same curve
 * that they are the values for which it is whole.
 */
export const KNEE = 0.018053968510807;
export const OFFSET = 0.09929682680944;

/** From coded value to light, both 0 to 1: the inverse of BT.709's transfer characteristic, item 1.2. */
export const toLight = (value: number): number =>
  value < 4.5 * KNEE ? value / 4.5 : ((value + OFFSET) / (1 + OFFSET)) ** (1 / 0.45);

/** From light to coded value: Recommendation ITU-R BT.709, item 1.2. */
export const fromLight = (light: number): number =>
  light < KNEE ? 4.5 * light : (1 + OFFSET) * light ** 0.45 - OFFSET;

const clipped = (value: number): number => Math.min(1, Math.max(0, value));

/**
 * Chromaticity of a black body. Kang, Moon, Hong, Lee, Cho, Kim, "Design of advanced color temperature control system
 * for HDTV applications", Journal of the Korean Physical Society 41(6), 2002.
 */
export function blackBody(kelvin: number): readonly [x: number, y: number] {
  const t = 1000 / kelvin;
  const x =
    kelvin < 4000
      ? -0.2661239 * t ** 3 - 0.2343589 * t ** 2 + 0.8776956 * t + 0.17991
      : -3.0258469 * t ** 3 + 2.1070379 * t ** 2 + 0.2226347 * t + 0.24039;
  const y =
    kelvin < 2222
      ? -1.1063814 * x ** 3 - 1.3481102 * x ** 2 + 2.18555832 * x - 0.20219683
      : kelvin < 4000
        ? -0.9549476 * x ** 3 - 1.37418593 * x ** 2 + 2.09137015 * x - 0.16748867
        : 3.081758 * x ** 3 - 5.8733867 * x ** 2 + 3.75112997 * x - 0.37001483;
  return [x, y];
}

/** Light of a chromaticity in BT.709's primaries; the matrix follows from its items 1.3 and 1.4. */
function lightOf([x, y]: readonly [number, number]): Rgb {
  const [X, Z] = [x / y, (1 - x - y) / y];
  return [
    3.2404542 * X - 1.5371385 - 0.4985314 * Z,
    -0.969266 * X + 1.8760108 + 0.041556 * Z,
    0.0556434 * X - 0.2040259 + 1.0572252 * Z,
  ];
}

/** Gains of linear red, green and blue that map a lamp's white to white; grey keeps its luma. */
export function whiteGains(kelvin: number, tint: number): Rgb {
  const lamp = lightOf(blackBody(kelvin));
  const white = lightOf(blackBody(6504));
  const gains = lamp.map((light, channel) => white[channel]! / Math.max(0.02, light));
  gains[1]! *= 2 ** (-tint / 200);
  const luma = gains.reduce((sum, gain, channel) => sum + gain * LUMA[channel]!, 0);
  return [gains[0]! / luma, gains[1]! / luma, gains[2]! / luma];
}

/** What the light of each channel is multiplied by; undefined for an effect that does something else. */
export function lightGains(effect: KnownEffect): Rgb | undefined {
  if (effect.kind === 'exposure') {
    const gain = 2 ** numberAt(effect, 'stops');
    return [gain, gain, gain];
  }
  if (effect.kind === 'whiteBalance') return whiteGains(numberAt(effect, 'light'), numberAt(effect, 'tint'));
  return undefined;
}

/** A colour effect as a function; colours outside are clipped, before and after. */
export function colourFunction(effect: KnownEffect, tableOf: TableOf): (colour: Rgb) => Rgb {
  const each =
    (change: (value: number, channel: number) => number) =>
    ([red, green, blue]: Rgb): Rgb => [
      clipped(change(red, 0)),
      clipped(change(green, 1)),
      clipped(change(blue, 2)),
    ];
  const gains = lightGains(effect);
  if (gains) return each((value, channel) => fromLight(toLight(value) * gains[channel]!));
  if (effect.kind === 'contrast') {
    const slope = numberAt(effect, 'contrast') / 100;
    return each((value) => MIDDLE + slope * (value - MIDDLE));
  }
  if (effect.kind === 'saturation') {
    const share = numberAt(effect, 'saturation') / 100;
    return (colour) => {
      const luma = LUMA[0] * colour[0] + LUMA[1] * colour[1] + LUMA[2] * colour[2];
      return each((value) => luma + share * (value - luma))(colour);
    };
  }
  const table = effect.kind === 'table' ? tableOf(textOf(effect, 'table')) : undefined;
  if (!table) return (colour) => colour;
  const strength = numberAt(effect, 'strength') / 100;
  return (colour) => {
    const found = lookUp(table, colour);
    return each((value, channel) => value + strength * (found[channel]! - value))(colour);
  };
}

/** Steps of each channel in the table that the player uses. */
export const TABLE_STEPS = 33;

/**
 * Colour effects that follow each other as one table: for each step of red, green and blue, red changing fastest, the
 * luma, blue and red difference of the result as 8-bit video codes (BT.709, limited range), and a zero. Since codes are
 * linear in the colour, they can be interpolated like the colour itself.
 */
export function colourCodes(effects: readonly KnownEffect[], tableOf: TableOf): Float32Array {
  const functions = effects.map((effect) => colourFunction(effect, tableOf));
  const codes = new Float32Array(4 * TABLE_STEPS ** 3);
  const last = TABLE_STEPS - 1;
  let at = 0;
  for (let blue = 0; blue <= last; blue++) {
    for (let green = 0; green <= last; green++) {
      for (let red = 0; red <= last; red++, at += 4) {
        const start: Rgb = [red / last, green / last, blue / last];
        const [r, g, b] = functions.reduce<Rgb>((colour, change) => change(colour), start);
        const luma = LUMA[0] * r + LUMA[1] * g + LUMA[2] * b;
        codes[at] = 16 + 219 * luma;
        codes[at + 1] = 128 + (224 * (b - luma)) / 1.8556;
        codes[at + 2] = 128 + (224 * (r - luma)) / 1.5748;
      }
    }
  }
  return codes;
}
