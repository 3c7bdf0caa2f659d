import { describe, expect, it } from 'vitest';
import { rational } from '../time/index.js';
import { addTrack, emptyTimeline, timelineLength, type Timeline } from '../timeline/index.js';
import {
  FIRST_TUNING,
  monitored,
  showAlike,
  tracksLeftOut,
  tuningSchema,
  type TrackLevers,
} from './index.js';

/** Two picture tracks and two sound tracks, each with a clip; p2 ends later than the others. */
function timeline(): Timeline {
  let made = 0;
  const empty = emptyTimeline(rational(24), { width: 640, height: 360 });
  const two = addTrack(
    addTrack(empty, 'picture', () => `new${made++}`),
    'sound',
    () => `new${made++}`,
  );
  const tracks = two.tracks.map((track, at) => ({
    ...track,
    id: `${track.kind}${at}`,
    clips: [
      {
        ...{ id: `c${at}`, name: 'c', sourceId: 's', start: 0, length: 24 + at },
        enabled: true,
        sourceIn: rational(0),
      },
    ],
  }));
  return { ...two, tracks };
}

const kinds = (kind: string): string[] =>
  timeline()
    .tracks.filter((track) => track.kind === kind)
    .map(({ id }) => id);
const [p1, p2] = kinds('picture') as [string, string];
const [s1, s2] = kinds('sound') as [string, string];
const out = (levers: TrackLevers): string[] =>
  tracksLeftOut(timeline(), levers)
    .map(({ id }) => id)
    .sort();

describe('Tracks while playing', () => {
  it('are left out by themselves, by solo of another of their kind, and all pictures at once', () => {
    expect(out({})).toEqual([]);
    expect(out({ tracksOff: [p1, s2] })).toEqual([p1, s2].sort());
    expect(out({ soloTracks: [p2] })).toEqual([p1]);
    expect(out({ soloTracks: [s1] })).toEqual([s2]);
    expect(out({ listenOnly: true })).toEqual([p1, p2].sort());
    expect(out({ listenOnly: true, soloTracks: [s1], tracksOff: [s1] })).toEqual([p1, p2, s1, s2].sort());
    expect(out({ tracksOff: ['gone'], soloTracks: ['gone'] })).toEqual([]);
  });

  it('do not change the length of the timeline, or the timeline that is edited', () => {
    const before = timeline();
    const after = monitored(before, { listenOnly: true });
    expect(timelineLength(after)).toBe(timelineLength(before));
    expect(before.tracks.every(({ enabled }) => enabled)).toBe(true);
    expect(after.tracks.map(({ kind, enabled }) => enabled === (kind === 'sound'))).toEqual([
      true,
      true,
      true,
      true,
    ]);
    expect(monitored(before, { soloTracks: [] })).toBe(before);
  });

  it('show other pixels, where they are of pictures', () => {
    expect(showAlike(FIRST_TUNING, { ...FIRST_TUNING, listenOnly: true })).toBe(false);
    expect(showAlike(FIRST_TUNING, { ...FIRST_TUNING, tracksOff: [p1] })).toBe(false);
    expect(showAlike(FIRST_TUNING, { ...FIRST_TUNING, tracksOff: [] })).toBe(true);
  });

  it('are checked as input', () => {
    const isTuning = (change: object): boolean =>
      tuningSchema.isValidSync({ ...FIRST_TUNING, ...change }, { strict: true });
    expect(isTuning({ listenOnly: true, tracksOff: ['a'], soloTracks: [] })).toBe(true);
    expect(isTuning({ listenOnly: 'yes' })).toBe(false);
    expect(isTuning({ tracksOff: [1] })).toBe(false);
  });
});
