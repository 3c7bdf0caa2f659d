import { describe, expect, it } from 'vitest';
import {
  bitRate,
  dataRate,
  bytes,
  count,
  milliseconds,
  percentOf,
  pixels,
  scaleText,
  shortTimeText,
  wait,
} from './quantities';

describe('quantities', () => {
  it('tell the time of today, and the date of another day', () => {
    const now = new Date(2026, 10, 27, 12, 30);
    const at = (day: number): string => new Date(2026, 10, day, 9, 5).toISOString();
    expect(shortTimeText(at(27), now)).toBe('09:05');
    expect(shortTimeText(at(26), now)).toBe('26/11/2026');
  });

  it('have a unit and at most three significant digits', () => {
    expect(bytes(780_000_000)).toBe('780 MB');
    expect(bytes(12_441_600)).toBe('12.4 MB');
    expect(bytes(512)).toBe('512 bytes');
    expect(bitRate(57_218_838)).toBe('57.2 Mbit/s');
    expect(dataRate(57_218_838)).toBe('57.2 Mbit/s (7.15 MB/s)');
    expect(milliseconds(41.6667)).toBe('41.7 ms');
    expect(milliseconds(5160)).toBe('5.16 s');
    expect(milliseconds(null)).toBe('–');
    expect(percentOf(0.018)).toBe('0 %');
    expect(percentOf(222.4)).toBe('222 %');
  });

  it('are waited for in words', () => {
    expect(wait(0.4)).toBe('under 1 s');
    expect(wait(42.1)).toBe('43 s');
    expect(wait(175)).toBe('2 min 55 s');
    expect(wait(1800)).toBe('30 min');
    expect(wait(9000)).toBe('2 h 30 min');
  });

  it('of a preview name the working size where it is a smaller one', () => {
    expect(scaleText(4, {})).toBe('1:4');
    expect(scaleText(2, { workingLines: 1080 })).toBe('1:2 of 1080 lines');
  });

  it('count pixels in full', () => {
    expect(pixels({ width: 3840, height: 2160 })).toBe('3840 × 2160');
    expect(count(1, 'clip', 'clips')).toBe('1 clip');
  });
});
