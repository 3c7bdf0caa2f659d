import fc from 'fast-check';
import Timecode from 'smpte-timecode';
import { describe, expect, it } from 'vitest';
import { formatTimecode, parseTimecode, rational, timecodeFormatOf } from './index.js';

const NTSC = timecodeFormatOf(rational(30_000, 1001));
const DOUBLE = timecodeFormatOf(rational(60_000, 1001));
const FILM = timecodeFormatOf(rational(24));

describe('timecode', () => {
  // SMPTE ST 12-1, drop-frame compensated counting at 30000/1001.
  it('drops numbers at 30000/1001 as SMPTE ST 12-1 has it', () => {
    expect(parseTimecode('00:10:00;00', NTSC)).toBe(17_982);
    expect(parseTimecode('01:00:00;00', NTSC)).toBe(107_892);
    expect(formatTimecode(1800, NTSC)).toBe('00:01:00;02');
    expect(formatTimecode(1799, NTSC)).toBe('00:00:59;29');
    expect(formatTimecode(2_589_407, NTSC)).toBe('23:59:59;29');
    expect(formatTimecode(2_589_408, NTSC)).toBe('00:00:00;00');
  });

  // SMPTE ST 12-1, the pair count at 60 Hz.
  it('drops numbers at 60000/1001 as SMPTE ST 12-1 has it', () => {
    expect(parseTimecode('00:10:00;00', DOUBLE)).toBe(35_964);
    expect(parseTimecode('01:00:00;00', DOUBLE)).toBe(215_784);
  });

  it('counts plainly at all other rates', () => {
    expect(formatTimecode(24 * 3600 + 25, FILM)).toBe('01:00:01:01');
    expect(formatTimecode(0, timecodeFormatOf(rational(24_000, 1001)))).toBe('00:00:00:00');
    expect(timecodeFormatOf(rational(30_000, 1001), false)).toEqual({
      framesPerSecond: 30,
      dropFrame: false,
    });
  });

  it('says what is wrong with timecode that does not exist', () => {
    expect(() => parseTimecode('00:01:00;00', NTSC)).toThrow(/does not exist/);
    expect(() => parseTimecode('00:00:00:24', FILM)).toThrow(/too large/);
    expect(() => parseTimecode('1:2:3', FILM)).toThrow(/hh:mm:ss:ff/);
    expect(() => timecodeFormatOf(rational(25), true)).toThrow(/Drop-frame/);
    expect(() => formatTimecode(1.5, FILM)).toThrow(/integer/);
  });

  it.each([
    ['30000/1001 drop-frame', NTSC, 2_589_408],
    ['60000/1001 drop-frame', DOUBLE, 5_178_816],
    ['24', FILM, 2_073_600],
    ['25', timecodeFormatOf(rational(25)), 2_160_000],
  ] as const)('goes to text and back at %s', (_name, format, day) => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: day - 1 }), (frame) => {
        expect(parseTimecode(formatTimecode(frame, format), format)).toBe(frame);
      }),
    );
  });

  it('agrees with the package smpte-timecode', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 2_589_407 }), (frame) => {
        expect(formatTimecode(frame, NTSC)).toBe(new Timecode(frame, 29.97, true).toString());
      }),
    );
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 2_073_599 }), (frame) => {
        expect(formatTimecode(frame, FILM)).toBe(new Timecode(frame, 24, false).toString());
      }),
    );
  });
});
