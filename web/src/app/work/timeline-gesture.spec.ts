import { describe, expect, it } from 'vitest';
import { rational } from '@hone/core/time';
import { emptyTimeline, type Clip, type Timeline, type Track } from '@hone/core/timeline';
import {
  clipAt,
  ClipDrag,
  clipsInBox,
  holdAt,
  transitionAt,
  TransitionDrag,
  type Place,
} from './timeline-gesture';

const clip = (id: string, start: number, length: number): Clip => ({
  id,
  name: id,
  sourceId: 's',
  start,
  length,
  sourceIn: rational(10),
  enabled: true,
});

const CUT = { id: 't', kind: 'dip' as const, at: 100, before: 10, after: 10, colour: '#102030' };
const empty = emptyTimeline(rational(24), { width: 640, height: 360 });
const track: Track = {
  ...empty.tracks[0]!,
  clips: [clip('a', 0, 100), clip('b', 100, 80), clip('c', 300, 40)],
  transitions: [CUT],
};
const timeline: Timeline = { ...empty, tracks: [track, empty.tracks[1]!] };
const place = (frame: number, x = frame): Place => ({ frame, track, x, y: 30 });
const setting = {
  timeline,
  ids: new Set(['c']),
  lengthOf: () => rational(1000),
  newId: () => 'new',
  snapFrames: 5,
  points: [],
};

describe('what is under the pointer', () => {
  it('is the clip at the frame, or none in a gap', () => {
    expect(clipAt(track, 99)!.id).toBe('a');
    expect(clipAt(track, 100)!.id).toBe('b');
    expect(clipAt(track, 200)).toBeUndefined();
    expect(clipsInBox([track], 90, 310)).toEqual(['a', 'b', 'c']);
  });

  it('is an end of it within a few pixels, and of a narrow one still its middle', () => {
    expect(holdAt(place(302), 1)).toMatchObject({ part: 'start' });
    expect(holdAt(place(320), 1)).toMatchObject({ part: 'body' });
    expect(holdAt(place(338), 1)).toMatchObject({ part: 'end' });
    expect(holdAt(place(320), 100)).toMatchObject({ part: 'body' });
  });

  it('is a transition at one of its edges', () => {
    expect(transitionAt(place(91), 1)!.id).toBe('t');
    expect(transitionAt(place(109), 1)!.id).toBe('t');
    expect(transitionAt(place(100), 1)).toBeUndefined();
    expect(transitionAt(place(50), 1)).toBeUndefined();
  });
});

describe('dragging', () => {
  it('does nothing until the pointer has moved a little', () => {
    const drag = new ClipDrag({ clip: track.clips[2]!, part: 'body' }, place(310), setting);
    expect(drag.at(place(311))).toBe(timeline);
    expect(drag.isDrag).toBe(false);
  });

  it('moves a clip and draws its start to the end of another', () => {
    const drag = new ClipDrag({ clip: track.clips[2]!, part: 'body' }, place(310), setting);
    const moved = drag.at(place(193));
    expect(drag.isDrag).toBe(true);
    expect(moved.tracks[0]!.clips.find(({ id }) => id === 'c')!.start).toBe(180);
  });

  it('trims an end as far as the clip beside it', () => {
    const drag = new ClipDrag({ clip: track.clips[2]!, part: 'start' }, place(300), setting);
    expect(drag.at(place(20)).tracks[0]!.clips[2]).toMatchObject({ start: 180, length: 160 });
  });

  it('makes a transition longer on both sides, and keeps its colour', () => {
    const drag = new TransitionDrag(timeline, CUT, place(110));
    expect(drag.at(place(112))).toBe(timeline);
    expect(drag.at(place(125)).tracks[0]!.transitions).toEqual([{ ...CUT, before: 25, after: 25 }]);
    // No longer than the clips beside it.
    expect(drag.at(place(260)).tracks[0]!.transitions![0]).toMatchObject({ before: 100, after: 80 });
    expect(drag.at(place(100)).tracks[0]!.transitions![0]).toMatchObject({ before: 1, after: 1 });
  });
});
