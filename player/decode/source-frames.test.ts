import fc from 'fast-check';
import { nearestFrame, sourceTimeAt, type Rational } from '@hone/core/time';
import { describe, expect, it } from 'vitest';
import type { StreamSpec } from '../shared/messages.js';
import { SourceFrames } from './source-frames.js';

const RATES: readonly Rational[] = [
  { num: 24, den: 1 },
  { num: 25, den: 1 },
  { num: 30_000, den: 1001 },
  { num: 60_000, den: 1001 },
  { num: 60, den: 1 },
];
const rate = fc.constantFrom(...RATES);

const passageOf = (rateOf: Rational, timelineRate: Rational, more: Partial<StreamSpec> = {}) => ({
  ...{
    to: 400,
    clipStart: 7,
    sourceIn: { num: 3, den: 4 },
    speed: { num: 1, den: 1 },
    timelineRate,
    hold: 1,
  },
  ...more,
  file: { rate: rateOf, constantRate: true, frameCount: 5000 } as StreamSpec['file'],
});

describe('frames of a source', () => {
  const passages = fc.record({ source: rate, timeline: rate, speed: fc.constantFrom(1, 2, 3) });

  it('are the nearest to what the timeline wants, and found again from there', () => {
    fc.assert(
      fc.property(passages, fc.integer({ min: 7, max: 399 }), ({ source, timeline, speed }, frame) => {
        const passage = passageOf(source, timeline, { speed: { num: speed, den: 2 } });
        const frames = new SourceFrames(passage);
        const time = sourceTimeAt(passage.sourceIn, frame - 7, timeline, passage.speed);
        const wanted = frames.wantedBy(frame);
        expect(wanted).toBe(nearestFrame(time, source));
        // The first that wants it is this one, or one before it that shows the same.
        const first = frames.firstFor(wanted, 7)!;
        expect(first).toBeLessThanOrEqual(frame);
        expect(frames.wantedBy(first)).toBe(wanted);
        expect(first === 7 || frames.wantedBy(first - 1) < wanted).toBe(true);
        expect(frames.firstFor(wanted, frame)).toBe(frame);
        expect(frames.at(frames.startOf(frame))).toBe(wanted);
      }),
    );
  });

  it('stand for two frames where every second is played, and none is from before the in point', () => {
    fc.assert(
      fc.property(passages, fc.integer({ min: 7, max: 399 }), ({ source, timeline, speed }, frame) => {
        const more = { speed: { num: speed, den: 2 } };
        const each = new SourceFrames(passageOf(source, timeline, more));
        const second = new SourceFrames(passageOf(source, timeline, { ...more, hold: 2 }));
        // The clip begins at frame 7, which is alone.
        const standing = frame === 7 ? 7 : frame - (frame % 2);
        expect(second.held(frame)).toBe(standing);
        expect(second.wantedBy(frame)).toBe(each.wantedBy(standing));
        const first = second.firstFor(second.wantedBy(frame), 7)!;
        expect(second.held(first)).toBe(first);
      }),
    );
    const frames = new SourceFrames(passageOf(RATES[0]!, RATES[0]!, { hold: 2 }));
    expect(frames.entryAt(3 / 4)).toBe(7);
    // A transition shows the clip before its first frame.
    expect([3, 4, 5, 6].map((frame) => frames.held(frame))).toEqual([2, 4, 4, 6]);
    const each = new SourceFrames(passageOf(RATES[0]!, RATES[0]!));
    expect([3, 4, 5, 6].map((frame) => each.wantedBy(frame))).toEqual([14, 15, 16, 17]);
    // Frame 31 shows the picture of 30, from before the entry.
    expect(frames.entryAt(3 / 4 + 1)).toBe(32);
  });

  it('that the timeline passes over are wanted by none', () => {
    const frames = new SourceFrames(passageOf({ num: 60, den: 1 }, { num: 24, den: 1 }));
    const wanted = new Set(Array.from({ length: 60 }, (_, at) => frames.wantedBy(7 + at)));
    for (let index = 45; index < 190; index++)
      expect(frames.firstFor(index, 7) !== undefined).toBe(wanted.has(index));
    expect(frames.firstFor(45, 30)).toBeUndefined();
  });

  it('can be shown from a key frame on that is no later', () => {
    const frames = new SourceFrames(passageOf({ num: 24, den: 1 }, { num: 24, den: 1 }));
    expect(frames.entryAt(3 / 4)).toBe(7);
    expect(frames.entryAt(3 / 4 + 1)).toBe(31);
    expect(frames.entryAt(3 / 4 + 1 + 1 / 100)).toBe(32);
  });

  it('end where a passage needs no more, and not far behind', () => {
    const holds = fc.constantFrom(1, 2);
    fc.assert(
      fc.property(
        passages,
        fc.integer({ min: 7, max: 399 }),
        holds,
        ({ source, timeline, speed }, last, hold) => {
          const passage = passageOf(source, timeline, { speed: { num: speed, den: 2 }, hold });
          const frames = new SourceFrames(passage);
          const perSecond = source.num / source.den;
          const end = frames.endOf(last)!;
          const wanted = frames.shownFor(last);
          // The last picture begins before it, and the one behind that as well, by which it is known to be the last.
          expect((wanted + 1) / perSecond).toBeLessThan(end);
          expect((wanted + 2) / perSecond).toBeGreaterThan(end);
          for (let frame = 7; frame <= last; frame += 13) expect(frames.startOf(frame)).toBeLessThan(end);
        },
      ),
    );
    const { file, ...passage } = passageOf(RATES[0]!, RATES[0]!);
    const varying = new SourceFrames({ ...passage, file: { ...file, constantRate: false } });
    expect(varying.endOf(20)).toBeUndefined();
  });
});
