/** Formatting of quantities: always with unit, at most three significant digits. */

/** A number without its unit, where the unit follows another one. */
export const rounded = (value: number): string =>
  Math.abs(value) >= 100 ? String(Math.round(value)) : Number(value.toPrecision(3)).toString();

export function bytes(value: number): string {
  const steps: [number, string][] = [
    [1e9, 'GB'],
    [1e6, 'MB'],
    [1e3, 'kB'],
  ];
  for (const [size, unit] of steps) if (value >= size) return `${rounded(value / size)} ${unit}`;
  return `${value} bytes`;
}

export const bitRate = (bitsPerSecond: number): string =>
  bitsPerSecond < 1e6 ? `${rounded(bitsPerSecond / 1e3)} kbit/s` : `${rounded(bitsPerSecond / 1e6)} Mbit/s`;

/** A rate in bits, as codecs are described, and in bytes, as drives are. */
export const dataRate = (bitsPerSecond: number): string =>
  `${bitRate(bitsPerSecond)} (${bytes(Math.round(bitsPerSecond / 8))}/s)`;

export function milliseconds(value: number | null): string {
  if (value === null) return '–';
  return value >= 1000 ? `${rounded(value / 1000)} s` : `${rounded(value)} ms`;
}

/** A duration to wait for. */
export function wait(seconds: number): string {
  if (seconds < 1) return 'under 1 s';
  if (seconds < 60) return `${Math.ceil(seconds)} s`;
  const minutes = Math.floor(seconds / 60);
  const rest = Math.round(seconds % 60);
  if (minutes < 10) return rest ? `${minutes} min ${rest} s` : `${minutes} min`;
  const whole = Math.round(seconds / 60);
  return whole < 60 ? `${whole} min` : `${Math.floor(whole / 60)} h ${whole % 60} min`;
}

/** Text of a preview scale: its divisor, and the working size where it is not the timeline's. */
export const scaleText = (
  divisor: number,
  { workingLines }: { readonly workingLines?: number | undefined },
): string => (workingLines === undefined ? `1:${divisor}` : `1:${divisor} of ${workingLines} lines`);

export const perCent = (share: number): string => percentOf(100 * share);

export const percentOf = (percent: number): string =>
  `${percent < 10 ? Number(percent.toFixed(1)) : rounded(percent)} %`;

export const framesPerSecond = (value: number): string => `${rounded(value)} frames/s`;

/** A rate in full: 23.976 and 24 are not the same, and neither are 29.97 and 30. */
export const rateText = ({ num, den }: { readonly num: number; readonly den: number }): string =>
  `${Number((num / den).toFixed(3))} frames/s`;

/** A moment as date and time of this machine. */
export const timeText = (iso: string): string =>
  new Date(iso).toLocaleString('en-GB', { dateStyle: 'short', timeStyle: 'medium' });

/** The time of today, or the date of another day. */
export function shortTimeText(iso: string, now = new Date()): string {
  const at = new Date(iso);
  return at.toDateString() === now.toDateString()
    ? at.toLocaleTimeString('en-GB', { timeStyle: 'short' })
    : at.toLocaleDateString('en-GB', { dateStyle: 'short' });
}

export const pixels = ({ width, height }: { width: number; height: number }): string =>
  `${width} × ${height}`;

export const count = (value: number, one: string, more: string): string =>
  `${value} ${value === 1 ? one : more}`;
