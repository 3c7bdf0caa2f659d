import { describe, expect, it } from 'vitest';
import {
  bitShareOf,
  decodedFigures,
  figureAtMean,
  HARDWARE_BIT_SHARE,
  USUAL_BIT_SHARE,
  type DecodeSample,
} from './index.js';

const ABOUT = { method: 'made up', measuredAt: '2026-01-01T00:00:00Z', disturbed: false };

/** Rows of pictures of which a share goes with their bits, 40 ms for one of two megabits. */
const rows = (share: number, bits: readonly number[]): DecodeSample[] =>
  bits.map((bitsPerFrame) => ({ bitsPerFrame, ms: 40 * (1 + share * (bitsPerFrame / 2e6 - 1)) }));

const APART = Array.from({ length: 20 }, () => [0.5e6, 1e6, 2e6, 3e6, 3.5e6, 0.6e6, 3.4e6, 2e6]).flat();

describe('rows of decoded pictures', () => {
  it.each([0.1, 0.5, 0.9])('show a share of %f that goes with the bits', (share) => {
    expect(bitShareOf(rows(share, APART))).toBeCloseTo(share, 1);
  });

  it('say nothing of it when all have the same bits', () => {
    expect(bitShareOf(rows(0.1, [2e6, 2e6, 2e6]))).toBeCloseTo(USUAL_BIT_SHARE, 6);
    // Hardware takes about as long for pictures of few bits.
    const hardware = decodedFigures(rows(0.1, [2e6, 2e6]), 2e6, ABOUT, 'hardware');
    expect(hardware.bitShare).toBeCloseTo(HARDWARE_BIT_SHARE, 6);
    expect(bitShareOf([{ ms: 0, bitsPerFrame: 0 }])).toBe(USUAL_BIT_SHARE);
  });

  it('give the figures of the mean picture, though only the heaviest were decoded', () => {
    const heavy = APART.map((bits) => bits + 2e6);
    const { msPerFrame, bitShare } = decodedFigures(rows(0.8, heavy), 2e6, ABOUT);
    expect(bitShare).toBeGreaterThan(0.7);
    expect(Math.abs(msPerFrame!.value - 40)).toBeLessThan(2);
    // As they are, they would be half as much again.
    expect(decodedFigures(rows(0.8, heavy), 0, ABOUT).msPerFrame!.value).toBeGreaterThan(60);
  });

  it('of which only one is known are taken by the usual share', () => {
    const figure = { ...ABOUT, value: 60, low: 50, high: 70, times: 2 };
    const mean = figureAtMean(figure, 3e6, 2e6);
    expect(mean.value).toBeCloseTo(60 / (1 + USUAL_BIT_SHARE / 2));
    expect(mean.high / mean.low).toBeCloseTo(70 / 50);
    expect(figureAtMean(figure, 0, 2e6)).toBe(figure);
  });

  it('are no figures where there are none', () => {
    expect(decodedFigures([], 2e6, ABOUT).msPerFrame).toBeNull();
  });
});
