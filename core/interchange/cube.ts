import { InterchangeError } from './imported.js';

/** A colour table: for each of `size` steps of red, green and blue, or of each channel alone, three results. */
export interface ColourTable {
  readonly title: string;
  readonly kind: '1D' | '3D';
  readonly size: number;
  readonly low: readonly [number, number, number];
  readonly high: readonly [number, number, number];
  /** Results, red changing fastest. */
  readonly values: Float32Array;
}

const MOST_3D = 129;
const MOST_1D = 65_536;

/**
 * Reads a .cube table: `LUT_1D_SIZE` or `LUT_3D_SIZE`, `DOMAIN_MIN`, `DOMAIN_MAX`, `TITLE`, and rows of three numbers.
 * @throws InterchangeError that names the line
 */
export function readCube(text: string): ColourTable {
  let title = '';
  let kind: ColourTable['kind'] | undefined;
  let size = 0;
  let low: ColourTable['low'] = [0, 0, 0];
  let high: ColourTable['high'] = [1, 1, 1];
  let values: Float32Array | undefined;
  let filled = 0;
  const lines = text.split(/\r\n|\r|\n/);
  lines.forEach((raw, index) => {
    const line = raw.trim();
    if (!line || line.startsWith('#')) return;
    const fail = (what: string): never => {
      throw new InterchangeError(`line ${index + 1}`, what);
    };
    const three = (words: readonly string[]): [number, number, number] => {
      const numbers = words.map(Number);
      if (numbers.length !== 3 || numbers.some((each) => !Number.isFinite(each)))
        return fail(`three numbers were expected, but there is "${line.slice(0, 60)}".`);
      return numbers as [number, number, number];
    };
    const [word, ...rest] = line.split(/\s+/) as [string, ...string[]];
    if (word === 'TITLE') title = line.slice(5).trim().replace(/^"|"$/g, '').slice(0, 200);
    else if (word === 'DOMAIN_MIN') low = three(rest);
    else if (word === 'DOMAIN_MAX') high = three(rest);
    else if (word === 'LUT_1D_SIZE' || word === 'LUT_3D_SIZE') {
      if (kind) fail('a second size; a table has one.');
      kind = word === 'LUT_1D_SIZE' ? '1D' : '3D';
      size = Number(rest[0]);
      const most = kind === '1D' ? MOST_1D : MOST_3D;
      if (rest.length !== 1 || !Number.isInteger(size) || size < 2 || size > most)
        fail(`the size must be a whole number from 2 to ${most}.`);
      values = new Float32Array(3 * (kind === '1D' ? size : size ** 3));
    } else if (/^[-+.\d]/.test(word)) {
      if (!values) return fail('numbers stand before the size of the table.');
      const numbers = three([word, ...rest]);
      if (filled === values.length)
        fail(`there are more rows than the ${values.length / 3} that the size asks for.`);
      values.set(numbers, filled);
      filled += 3;
    } else fail(`"${word.slice(0, 40)}" is not known in a colour table.`);
  });
  if (!kind || !values)
    throw new InterchangeError('the file', 'it has no LUT_1D_SIZE or LUT_3D_SIZE; it is no colour table.');
  if (filled < values.length) {
    throw new InterchangeError(
      'the file',
      `it ends after ${filled / 3} rows of ${values.length / 3}; it was cut off.`,
    );
  }
  if (low.some((least, channel) => least >= high[channel]!))
    throw new InterchangeError('the file', 'DOMAIN_MIN must be below DOMAIN_MAX in each channel.');
  return { title, kind, size, low, high, values };
}

/**
 * The result of a table for a colour, clipped to its domain. A 3D table is interpolated between the four corners of the
 * tetrahedron that holds the colour; a 1D table between two neighbours in each channel.
 */
export function lookUp(
  { kind, size, low, high, values }: ColourTable,
  colour: readonly [number, number, number],
): [number, number, number] {
  const place = colour.map((value, channel) => {
    const share = (value - low[channel]!) / (high[channel]! - low[channel]!);
    return Math.min(1, Math.max(0, share)) * (size - 1);
  }) as [number, number, number];
  const corner = place.map((at) => Math.min(size - 2, Math.floor(at))) as [number, number, number];
  const part = place.map((at, channel) => at - corner[channel]!) as [number, number, number];
  if (kind === '1D') {
    return [0, 1, 2].map((channel) => {
      const before = values[3 * corner[channel]! + channel]!;
      const after = values[3 * (corner[channel]! + 1) + channel]!;
      return before + part[channel]! * (after - before);
    }) as [number, number, number];
  }
  const steps = [3, 3 * size, 3 * size * size] as const;
  let at = 3 * (corner[0] + size * (corner[1] + size * corner[2]));
  const result: [number, number, number] = [values[at]!, values[at + 1]!, values[at + 2]!];
  // From corner to corner along the channel with the largest part first: the tetrahedron that holds the colour.
  const order = [0, 1, 2].sort((a, b) => part[b]! - part[a]!);
  for (const channel of order) {
    const next = at + steps[channel]!;
    for (let out = 0; out < 3; out++)
      result[out] = result[out]! + part[channel]! * (values[next + out]! - values[at + out]!);
    at = next;
  }
  return result;
}
