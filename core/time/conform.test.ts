import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { nearestFrame, nearestStamp, rational, sourceTimeAt, timeOfFrame } from './index.js';

describe('conforming', () => {
  it('takes every second or third frame of 60 on 24: 2.5 for one', () => {
    const frames = Array.from({ length: 7 }, (_, frame) =>
      nearestFrame(timeOfFrame(frame, rational(24)), rational(60)),
    );
    expect(frames).toEqual([0, 3, 5, 8, 10, 13, 15]);
  });

  it('keeps every frame when the rates are the same', () => {
    const rate = rational(30_000, 1001);
    fc.assert(
      fc.property(fc.nat(1_000_000), (frame) => {
        expect(nearestFrame(timeOfFrame(frame, rate), rate)).toBe(frame);
      }),
    );
  });

  it('never goes back and never stands further than half a source frame away', () => {
    const rates = fc.constantFrom(rational(24), rational(25), rational(60_000, 1001), rational(24_000, 1001));
    fc.assert(
      fc.property(rates, rates, fc.nat(10_000), (timeline, source, frame) => {
        const time = timeOfFrame(frame, timeline);
        const near = nearestFrame(time, source);
        expect(nearestFrame(timeOfFrame(frame + 1, timeline), source)).toBeGreaterThanOrEqual(near);
        const away = (near * source.den) / source.num - time.num / time.den;
        expect(Math.abs(away)).toBeLessThanOrEqual(source.den / source.num / 2 + 1e-9);
      }),
    );
  });

  it('by stamps is the same as by numbers when the stamps are even', () => {
    const stamps = Array.from({ length: 500 }, (_, index) => index * 40);
    fc.assert(
      fc.property(fc.nat(499 * 40), (ms) => {
        expect(nearestStamp(ms, stamps)).toBe(nearestFrame(rational(ms, 1000), rational(25)));
      }),
    );
  });

  it('by stamps takes the later of two that are equally near, and the ends beyond them', () => {
    expect(nearestStamp(15, [0, 10, 20])).toBe(2);
    expect(nearestStamp(-5, [0, 10, 20])).toBe(0);
    expect(nearestStamp(99, [0, 10, 20])).toBe(2);
    expect(nearestStamp(4, [0, 2, 9])).toBe(1);
  });

  it('counts source time from the clip’s in point', () => {
    expect(sourceTimeAt(rational(3, 2), 12, rational(24))).toEqual(rational(2));
  });
});
