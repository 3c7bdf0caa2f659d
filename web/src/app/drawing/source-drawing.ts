import type { PacketIndex } from '@hone/core/media';
import type { Area, Palette } from './axis';

/** Data rate of each column of pixels, bits a second, from packets in the order in which they are read. */
export function rateColumns(index: PacketIndex, columns: number): Float64Array {
  const rates = new Float64Array(columns);
  const count = index.length;
  if (count === 0 || columns === 0) return rates;
  const first = index.dts[0]!;
  const ticks = index.dts[count - 1]! - first + (index.dts[count - 1]! - first) / Math.max(1, count - 1);
  if (ticks <= 0) return rates;
  for (let at = 0; at < count; at++) {
    const column = Math.min(columns - 1, Math.floor((columns * (index.dts[at]! - first)) / ticks));
    rates[column] = rates[column]! + 8 * index.sizes[at]!;
  }
  const seconds = ticks / index.ticksPerSecond / columns;
  return rates.map((bits) => bits / seconds);
}

/** The data rate along a source, with a line at its average. */
export function drawRate(
  context: CanvasRenderingContext2D,
  width: number,
  area: Area,
  index: PacketIndex,
  averageBitsPerSecond: number,
  palette: Palette,
): void {
  // Quarters of a second: single key frames would hide everything else.
  const seconds = index.length ? index.secondsOf(index.shownOrder[index.length - 1]!) : 0;
  const columns = Math.max(1, Math.min(index.length, Math.floor(width), Math.ceil(4 * seconds)));
  const rates = rateColumns(index, columns);
  const most = rates.reduce((high, rate) => Math.max(high, rate), 1.25 * averageBitsPerSecond);
  context.fillStyle = palette.low;
  context.fillRect(0, area.top, width, area.height);
  context.fillStyle = palette.stage('read');
  rates.forEach((rate, column) => {
    const height = (rate / most) * area.height;
    const left = Math.floor((column * width) / columns);
    const right = Math.max(left + 1, Math.floor(((column + 1) * width) / columns));
    context.fillRect(left, area.top + area.height - height, right - left, height);
  });
  context.fillStyle = palette.ink;
  context.fillRect(0, area.top + area.height * (1 - averageBitsPerSecond / most), width, 1);
}

/** The waveform of a source: its peaks, mirrored about the middle. */
export function drawWaveform(
  context: CanvasRenderingContext2D,
  width: number,
  area: Area,
  peaks: Uint8Array,
  palette: Palette,
): void {
  context.fillStyle = palette.low;
  context.fillRect(0, area.top, width, area.height);
  context.fillStyle = palette.quiet;
  const columns = Math.floor(width);
  for (let column = 0; column < columns; column++) {
    const from = Math.floor((column * peaks.length) / columns);
    const to = Math.max(from + 1, Math.floor(((column + 1) * peaks.length) / columns));
    let loudest = 0;
    for (let at = from; at < to; at++) loudest = Math.max(loudest, peaks[at] ?? 0);
    const height = Math.max(1, (loudest / 255) * area.height);
    context.fillRect(column, area.top + (area.height - height) / 2, 1, height);
  }
}
