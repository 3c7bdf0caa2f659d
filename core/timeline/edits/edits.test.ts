import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { rational, ZERO, type Rational } from '../../time/index.js';
import {
  addTrack,
  appendSource,
  changeSpeed,
  clearStretch,
  clipEnd,
  copyClips,
  emptyTimeline,
  enableClips,
  keepPitch,
  moveClips,
  nearestCut,
  partOf,
  pasteClips,
  placeSources,
  putMarker,
  putTransition,
  removeClips,
  removeMarker,
  removeTrack,
  removeTransition,
  settled,
  snapped,
  splitAt,
  timeInClip,
  timelineFaults,
  timelineSchema,
  trimClip,
  type Clip,
  type Placeable,
  type Timeline,
} from '../index.js';

const RATE = rational(24);
const counter = (): (() => string) => {
  let next = 0;
  return () => `n${next++}`;
};
const source = (sourceId: string, seconds: number): Placeable => ({
  sourceId,
  name: sourceId,
  durationSeconds: rational(seconds),
  hasPicture: true,
  hasSound: true,
});
const lengthOf = (): Rational => rational(10);
const set = (...ids: string[]): Set<string> => new Set(ids);

/** Clips as "source start+length@second", for one track. */
const said = ({ tracks }: Timeline, track = 0): string[] =>
  tracks[track]!.clips.map(
    ({ sourceId, start, length, sourceIn }) =>
      `${sourceId} ${start}+${length}@${sourceIn.num / sourceIn.den}`,
  );

function three(): Timeline {
  const empty = emptyTimeline(RATE, { width: 1920, height: 1080 });
  return placeSources(empty, [source('a', 1), source('b', 2), source('c', 1)], 0, 'overwrite', counter());
}

describe('edits', () => {
  it('put sources in a row, picture and sound alike', () => {
    expect(said(three())).toEqual(['a 0+24@0', 'b 24+48@0', 'c 72+24@0']);
    expect(said(three(), 1)).toEqual(said(three()));
  });

  it('put in a part of a source, from in point to out point, at the rate of the timeline', () => {
    // Frames 50 to 74 of 25 a second are the third second.
    const part = partOf(source('x', 10), rational(25), 50, 74);
    expect(said(placeSources(three(), [part], 96, 'insert', counter())).at(-1)).toBe('x 96+24@2');
    expect(said(appendSource(three(), part, counter())).at(-1)).toBe('x 96+24@2');
    expect(() =>
      placeSources(three(), [partOf(source('x', 10), rational(60), 3, 3)], 0, 'insert', counter()),
    ).toThrow(/shorter than one frame/);
  });

  it('insert by splitting what stands there and pushing the rest along on all tracks', () => {
    const marked = putMarker(three(), { id: 'm', frame: 60, name: 'gulls', note: '' });
    const result = placeSources(marked, [source('x', 1)], 48, 'insert', counter());
    expect(said(result)).toEqual(['a 0+24@0', 'b 24+24@0', 'x 48+24@0', 'b 72+24@1', 'c 96+24@0']);
    expect(said(result, 1)).toEqual(said(result));
    expect(result.markers).toEqual([{ id: 'm', frame: 84, name: 'gulls', note: '' }]);
  });

  it('overwrite by cutting away what stands there, and nothing else', () => {
    const result = placeSources(three(), [source('x', 1)], 36, 'overwrite', counter());
    expect(said(result)).toEqual(['a 0+24@0', 'b 24+12@0', 'x 36+24@0', 'b 60+12@1.5', 'c 72+24@0']);
  });

  it('move clips over others and stop at the first frame', () => {
    const timeline = three();
    const [a, b] = timeline.tracks[0]!.clips;
    expect(said(moveClips(timeline, set(b!.id), 12, 0, counter()))).toEqual([
      'a 0+24@0',
      'b 36+48@0',
      'c 84+12@0.5',
    ]);
    expect(moveClips(timeline, set(a!.id), -5, 0, counter())).toBe(timeline);
  });

  it('move clips to another track of their kind', () => {
    const timeline = addTrack(three(), 'picture', () => 'top');
    const result = moveClips(timeline, set(timeline.tracks[0]!.clips[1]!.id), 0, 1, counter());
    expect(said(result)).toEqual(['a 0+24@0', 'c 72+24@0']);
    expect(said(result, 2)).toEqual(['b 24+48@0']);
    expect(said(result, 1)).toEqual(said(timeline, 1));
  });

  it('trim as far as the neighbour and the source allow', () => {
    const timeline = three();
    const b = timeline.tracks[0]!.clips[1]!;
    expect(said(trimClip(timeline, b.id, 'start', 30, lengthOf))[1]).toBe('b 30+42@0.25');
    expect(said(trimClip(timeline, b.id, 'end', 50, lengthOf))[1]).toBe('b 24+26@0');
    // The neighbours stand in the way on both sides, and the source has nothing before its first frame.
    expect(trimClip(timeline, b.id, 'start', 10, lengthOf)).toBe(timeline);
    expect(trimClip(timeline, b.id, 'end', 90, lengthOf)).toBe(timeline);
    const c = timeline.tracks[0]!.clips[2]!;
    expect(said(trimClip(timeline, c.id, 'end', 9999, () => rational(3)))[2]).toBe('c 72+72@0');
    expect(said(trimClip(timeline, b.id, 'end', 0, lengthOf))[1]).toBe('b 24+1@0');
  });

  it('split the chosen clip or all, and the halves continue each other', () => {
    const timeline = three();
    const b = timeline.tracks[0]!.clips[1]!;
    const one = splitAt(timeline, 36, set(b.id), counter());
    expect(said(one)).toEqual(['a 0+24@0', 'b 24+12@0', 'b 36+36@0.5', 'c 72+24@0']);
    expect(said(one, 1)).toEqual(said(timeline, 1));
    expect(said(splitAt(timeline, 36, set(), counter()), 1)).toHaveLength(4);
    expect(splitAt(timeline, 24, set(), counter())).toBe(timeline);
  });

  it('delete with and without closing the gap', () => {
    const timeline = three();
    const picture = timeline.tracks[0]!.clips[1]!;
    const sound = timeline.tracks[1]!.clips[1]!;
    expect(said(removeClips(timeline, set(picture.id, sound.id), false))).toEqual(['a 0+24@0', 'c 72+24@0']);
    const closed = removeClips(timeline, set(picture.id, sound.id), true);
    expect(said(closed)).toEqual(['a 0+24@0', 'c 24+24@0']);
    expect(said(closed, 1)).toEqual(said(closed));
    // The sound that stays needs its place: picture and sound must not come apart.
    expect(said(removeClips(timeline, set(picture.id), true))).toEqual(['a 0+24@0', 'c 72+24@0']);
  });

  it('enable and disable', () => {
    const timeline = three();
    const { id } = timeline.tracks[0]!.clips[0]!;
    const off = enableClips(timeline, set(id), false);
    expect(off.tracks[0]!.clips[0]!.enabled).toBe(false);
    expect(off.tracks[1]).toBe(timeline.tracks[1]);
  });

  it('keep the pitch of what is retimed for the first time, and leave it as it was set later', () => {
    const timeline = three();
    const b = timeline.tracks[0]!.clips[1]!;
    const pitch = (line: Timeline) =>
      line.tracks.flatMap(({ clips }) => clips).find(({ id }) => id === b.id)!.keepsPitch;
    const retimed = changeSpeed(timeline, set(b.id), rational(2));
    expect(pitch(retimed)).toBe(true);
    expect(pitch(changeSpeed(timeline, set(b.id), rational(-1)))).toBeUndefined();
    const like = keepPitch(retimed, set(b.id), false);
    expect(pitch(changeSpeed(like, set(b.id), rational(3)))).toBe(false);
    // One from before there was a choice follows its speed, and goes on to.
    const before = {
      ...timeline,
      tracks: timeline.tracks.map((track) => ({
        ...track,
        clips: track.clips.map((clip) => ({ ...clip, speed: rational(3, 2) })),
      })),
    };
    expect(pitch(changeSpeed(before, set(b.id), rational(2)))).toBeUndefined();
  });

  it('change the speed without changing the piece of the source', () => {
    const timeline = three();
    const b = timeline.tracks[0]!.clips[1]!;
    expect(said(changeSpeed(timeline, set(b.id), rational(2)))[1]).toBe('b 24+24@0');
    // Slower needs more room than there is before the next clip, which moves along; nothing of the source is lost.
    const slower = changeSpeed(timeline, set(b.id), rational(1, 2));
    expect(said(slower).slice(0, 3)).toEqual(['a 0+24@0', 'b 24+96@0', 'c 120+24@0']);
    expect(said(changeSpeed(slower, set(b.id), rational(1)))[1]).toBe('b 24+48@0');
    const back = changeSpeed(timeline, set(b.id), rational(-1)).tracks[0]!.clips[1]!;
    expect(timeInClip(back, 0, RATE)).toEqual(rational(47, 24));
    expect(timeInClip(back, 47, RATE)).toEqual(ZERO);
    expect(() => changeSpeed(timeline, set(b.id), rational(11))).toThrow(/between 1 % and 1000 %/);
  });

  it('paste what was copied, at another place, with the same distances', () => {
    const timeline = three();
    const [a, , c] = timeline.tracks[0]!.clips;
    const copied = copyClips(timeline, set(a!.id, c!.id));
    expect(said(pasteClips(timeline, copied, 200, 'overwrite', counter())).slice(3)).toEqual([
      'a 200+24@0',
      'c 272+24@0',
    ]);
    expect(said(pasteClips(timeline, copied, 24, 'insert', counter()))).toEqual([
      'a 0+24@0',
      'a 24+24@0',
      'c 96+24@0',
      'b 120+48@0',
      'c 168+24@0',
    ]);
  });

  it('keep markers in order, and tracks', () => {
    const marker = (id: string, frame: number) => ({ id, frame, name: id, note: '' });
    const two = putMarker(putMarker(three(), marker('late', 50)), marker('early', 5));
    expect(two.markers!.map(({ id }) => id)).toEqual(['early', 'late']);
    expect(removeMarker(two, 'early').markers).toHaveLength(1);
    expect(removeTrack(two, 's1').tracks.map(({ id }) => id)).toEqual(['p1']);
  });

  it('put a transition at a cut, as long as there is room, and drop it when the cut goes', () => {
    const timeline = three();
    const put = putTransition(timeline, 'p1', 72, 24, 'crossfade', counter());
    expect(put.tracks[0]!.transitions).toMatchObject([{ kind: 'crossfade', at: 72, before: 12, after: 12 }]);
    expect(timelineSchema.isValidSync(put, { strict: true })).toBe(true);
    const longer = putTransition(put, 'p1', 24, 200, 'dip', counter());
    // Half of it would be a hundred frames; the first clip has 24, and the next transition begins at 60.
    expect(longer.tracks[0]!.transitions![0]).toMatchObject({ at: 24, before: 24, after: 36 });
    expect(timelineFaults(longer)).toEqual([]);
    expect(putTransition(timeline, 'p1', 30, 24, 'wipe', counter())).toBe(timeline);
    const moved = settled(moveClips(longer, set(timeline.tracks[0]!.clips[2]!.id), 10, 0, counter()));
    expect(moved.tracks[0]!.transitions).toHaveLength(1);
    const pushed = placeSources(put, [source('x', 1)], 0, 'insert', counter());
    expect(settled(pushed).tracks[0]!.transitions).toMatchObject([{ at: 96 }]);
    expect(removeTransition(put, put.tracks[0]!.transitions![0]!.id).tracks[0]!.transitions).toEqual([]);
    expect(nearestCut(timeline.tracks[0]!, 50)).toBe(72);
  });

  it('snap to ends of other clips, markers and given points, not farther than the reach', () => {
    const timeline = putMarker(three(), { id: 'm', frame: 60, name: '', note: '' });
    const none = set();
    expect(snapped(timeline, 26, 4, none, [])).toBe(24);
    expect(snapped(timeline, 30, 4, none, [])).toBe(30);
    expect(snapped(timeline, 58, 4, none, [])).toBe(60);
    expect(snapped(timeline, 40, 4, none, [43])).toBe(43);
    const own = set(...timeline.tracks.flatMap(({ clips }) => clips.map(({ id }) => id)));
    expect(snapped(timeline, 26, 4, own, [])).toBe(26);
  });

  it('never make a timeline that cannot be played, whatever is done in whatever order', () => {
    const step = fc.record({
      what: fc.constantFrom(
        'place',
        'insert',
        'move',
        'trim',
        'split',
        'remove',
        'close',
        'speed',
        'paste',
        'clear',
      ),
      pick: fc.nat(30),
      frame: fc.nat(200),
      by: fc.integer({ min: -80, max: 80 }),
      up: fc.integer({ min: -2, max: 2 }),
    });
    fc.assert(
      fc.property(fc.array(step, { maxLength: 14 }), (steps) => {
        const newId = counter();
        let timeline = addTrack(three(), 'picture', () => 'top');
        // Identifiers of the first clips come from a counter of their own.
        timeline = {
          ...timeline,
          tracks: timeline.tracks.map((track) => ({
            ...track,
            clips: track.clips.map((clip) => ({ ...clip, id: `first-${clip.id}` })),
          })),
        };
        for (const { what, pick, frame, by, up } of steps) {
          const clips: Clip[] = timeline.tracks.flatMap((track) => [...track.clips]);
          const chosen = clips[pick % Math.max(1, clips.length)];
          const ids = new Set(chosen ? [chosen.id] : []);
          timeline = {
            place: () => placeSources(timeline, [source('x', 1)], frame, 'overwrite', newId),
            insert: () => placeSources(timeline, [source('x', 1)], frame, 'insert', newId),
            move: () => moveClips(timeline, new Set(clips.slice(0, pick).map(({ id }) => id)), by, up, newId),
            trim: () =>
              chosen ? trimClip(timeline, chosen.id, by > 0 ? 'start' : 'end', frame, lengthOf) : timeline,
            split: () => splitAt(timeline, frame, up ? ids : set(), newId),
            remove: () => removeClips(timeline, ids, false),
            close: () => removeClips(timeline, ids, true),
            speed: () => changeSpeed(timeline, ids, rational(by || 1, 40)),
            paste: () =>
              pasteClips(timeline, copyClips(timeline, ids), frame, up > 0 ? 'insert' : 'overwrite', newId),
            clear: () => clearStretch(timeline, frame, frame + 20, newId),
          }[what]();
          expect(timelineFaults(timeline)).toEqual([]);
          for (const { clips: line } of timeline.tracks)
            expect(line.map(({ start }) => start)).toEqual(
              line.map(({ start }) => start).sort((a, b) => a - b),
            );
        }
        expect(timelineSchema.isValidSync(timeline, { strict: true })).toBe(true);
        expect(
          Math.max(0, ...timeline.tracks.flatMap(({ clips }) => clips.map(clipEnd))),
        ).toBeGreaterThanOrEqual(0);
      }),
      { numRuns: 300 },
    );
  });
});
