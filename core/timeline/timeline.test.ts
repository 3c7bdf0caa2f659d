import { describe, expect, it } from 'vitest';
import { rational, ZERO } from '../time/index.js';
import {
  appendSource,
  emptyTimeline,
  takeOffAt,
  timelineFaults,
  timelineLength,
  timelineSchema,
  type Clip,
  type Placeable,
} from './index.js';

const RATE = rational(24);
const SIZE = { width: 1920, height: 1080 };
const source: Placeable = {
  sourceId: 'a',
  name: 'A',
  durationSeconds: rational(2),
  hasPicture: true,
  hasSound: true,
};

const ids = (): (() => string) => {
  let next = 0;
  return () => `id${next++}`;
};

describe('a timeline', () => {
  it('takes picture and sound of a source at the same frame, one source after the other', () => {
    const newId = ids();
    let timeline = appendSource(emptyTimeline(RATE, SIZE), source, newId);
    timeline = appendSource(
      timeline,
      { ...source, sourceId: 'b', durationSeconds: rational(101, 100), hasSound: false },
      newId,
    );
    timeline = appendSource(timeline, source, newId);
    const starts = timeline.tracks.map(({ clips }) => clips.map(({ start, length }) => [start, length]));
    expect(starts).toEqual([
      [
        [0, 48],
        [48, 24],
        [72, 48],
      ],
      [
        [0, 48],
        [72, 48],
      ],
    ]);
    expect(timelineLength(timeline)).toBe(120);
    expect(timelineFaults(timeline)).toEqual([]);
  });

  it('refuses a source that is shorter than a frame', () => {
    const short = { ...source, durationSeconds: rational(1, 100) };
    expect(() => appendSource(emptyTimeline(RATE, SIZE), short, ids())).toThrow(/shorter than one frame/);
  });

  it('gives up the clip at a frame with its sound, leaves a gap, and does not change the one before', () => {
    const newId = ids();
    const before = appendSource(appendSource(emptyTimeline(RATE, SIZE), source, newId), source, newId);
    const after = takeOffAt(before, 12);
    expect(after.tracks.map(({ clips }) => clips.map(({ start }) => start))).toEqual([[48], [48]]);
    expect(before.tracks[0]!.clips).toHaveLength(2);
    expect(takeOffAt(after, 12)).toBe(after);
  });

  it('names its faults', () => {
    const clip: Clip = {
      id: 'x',
      name: 'X',
      sourceId: 'a',
      start: 0,
      length: 10,
      sourceIn: ZERO,
      enabled: true,
    };
    const timeline = emptyTimeline(RATE, SIZE);
    const with_ = (...clips: Clip[]) => ({ ...timeline, tracks: [{ ...timeline.tracks[0]!, clips }] });
    expect(timelineFaults(with_(clip, { ...clip, start: 10 }))[0]).toMatch(/identifier x/);
    expect(timelineFaults(with_(clip, { ...clip, id: 'y', start: 9 }))[0]).toMatch(/overlaps/);
    expect(timelineFaults(with_({ ...clip, sourceIn: rational(-1) }))[0]).toMatch(/before its source/);
  });

  it('is checked where it comes in', () => {
    const good = appendSource(emptyTimeline(RATE, SIZE), source, ids());
    const valid = (value: unknown): boolean => timelineSchema.isValidSync(value, { strict: true });
    expect(valid(good)).toBe(true);
    expect(valid({ ...good, rate: { num: 24, den: 0 } })).toBe(false);
    expect(valid({ ...good, size: { width: 1920.5, height: 1080 } })).toBe(false);
    expect(valid({ ...good, tracks: [] })).toBe(false);
    expect(valid({ ...good, lever: 4 })).toBe(false);
    expect(valid({ ...good, startFrame: 1e300 })).toBe(false);
    expect(valid(null)).toBe(false);
  });
});
