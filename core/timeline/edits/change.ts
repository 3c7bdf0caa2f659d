import { compare, divide, multiply, rational, round, type Rational, ZERO } from '../../time/index.js';
import {
  clipEnd,
  speedOf,
  type Clip,
  type Marker,
  type Timeline,
  type Track,
  type TrackKind,
} from '../model.js';
import {
  beginningAt,
  cleared,
  endingAt,
  halves,
  inSource,
  overwritten,
  roomOf,
  shiftedTransitions,
  sorted,
  timeInClip,
  withClips,
  withTracks,
  type NewId,
  type SourceLength,
} from './clip-slicing.js';

const inside = (clip: Clip, frame: number): boolean => clip.start < frame && frame < clipEnd(clip);

/**
 * Moves clips in time and by whole tracks of their kind, and overwrites the clips at the new place. They stop at the first
 * frame and at the outermost track.
 */
export function moveClips(
  timeline: Timeline,
  ids: ReadonlySet<string>,
  byFrames: number,
  byTracks: number,
  newId: NewId,
): Timeline {
  const moved = timeline.tracks.flatMap((track, index) =>
    track.clips.filter(({ id }) => ids.has(id)).map((clip) => ({ clip, index, kind: track.kind })),
  );
  if (moved.length === 0) return timeline;
  const by = Math.max(byFrames, -Math.min(...moved.map(({ clip }) => clip.start)));
  const target = (index: number, kind: TrackKind): number => {
    const same = timeline.tracks.flatMap((track, at) => (track.kind === kind ? [at] : []));
    const place = same.indexOf(index) + byTracks;
    return same[Math.max(0, Math.min(same.length - 1, place))]!;
  };
  if (by === 0 && moved.every(({ index, kind }) => target(index, kind) === index)) return timeline;
  const without = withTracks(timeline, (track) =>
    track.clips.some(({ id }) => ids.has(id))
      ? { ...track, clips: track.clips.filter(({ id }) => !ids.has(id)) }
      : track,
  );
  return withTracks(without, (track, index) => {
    const added = moved
      .filter((each) => target(each.index, each.kind) === index)
      .map(({ clip }) => ({ ...clip, start: clip.start + by }));
    // Two that land in one place, since the outermost track stopped them, go over each other as well.
    return added.reduce((target, clip) => overwritten(target, [clip], timeline.rate, newId), track);
  });
}

/** Moves one end of a clip to a frame, as far as the clip beside it and its source allow. */
export function trimClip(
  timeline: Timeline,
  id: string,
  end: 'start' | 'end',
  frame: number,
  lengthOf: SourceLength,
): Timeline {
  return withTracks(timeline, (track) => {
    const at = track.clips.findIndex((clip) => clip.id === id);
    const clip = track.clips[at];
    if (!clip) return track;
    const { before, after } = roomOf(clip, timeline.rate, lengthOf);
    const left = track.clips[at - 1];
    const right = track.clips[at + 1];
    const low = Math.max(left ? clipEnd(left) : 0, clip.start - before);
    const high = Math.min(right?.start ?? Infinity, clip.start + after);
    const trimmed =
      end === 'start'
        ? beginningAt(clip, Math.min(clipEnd(clip) - 1, Math.max(low, frame)), timeline.rate)
        : endingAt(clip, Math.max(clip.start + 1, Math.min(Math.max(high, clipEnd(clip)), frame)));
    if (trimmed.start === clip.start && trimmed.length === clip.length) return track;
    return { ...track, clips: track.clips.map((each) => (each === clip ? trimmed : each)) };
  });
}

/** Cuts clips in two at a frame: the chosen ones that reach over it, or all when none is chosen. */
export function splitAt(timeline: Timeline, frame: number, ids: ReadonlySet<string>, newId: NewId): Timeline {
  return withTracks(timeline, (track) => {
    const wanted = (clip: Clip): boolean => inside(clip, frame) && (ids.size === 0 || ids.has(clip.id));
    if (!track.clips.some(wanted)) return track;
    const clips = track.clips.flatMap((clip) => {
      if (!wanted(clip)) return [clip];
      const [before, behind] = halves(clip, frame, timeline.rate);
      return [before, { ...behind, id: newId() }];
    });
    return { ...track, clips };
  });
}

/**
 * Takes clips away.
 * @param close whether the gap closes: frames in which, after that, no track has anything go, on all tracks alike
 */
export function removeClips(timeline: Timeline, ids: ReadonlySet<string>, close: boolean): Timeline {
  const gone = timeline.tracks.flatMap(({ clips }) => clips.filter(({ id }) => ids.has(id)));
  if (gone.length === 0) return timeline;
  const without = withTracks(timeline, (track) => {
    const clips = track.clips.filter(({ id }) => !ids.has(id));
    return clips.length === track.clips.length ? track : { ...track, clips };
  });
  if (!close) return without;
  return closeGaps(without, sorted(gone));
}

// From the last to the first, so that frames before stay where they are.
function closeGaps(timeline: Timeline, gone: readonly Clip[]): Timeline {
  let result = timeline;
  for (const { from, to } of merged(gone).reverse()) {
    for (const part of emptyParts(result, from, to).reverse()) {
      const by = part.from - part.to;
      const tracks = result.tracks.map((track) => ({
        ...shiftedTransitions(track, part.to, by),
        clips: track.clips.map((clip) =>
          clip.start >= part.to ? { ...clip, start: clip.start + by } : clip,
        ),
      }));
      const markers = result.markers?.map((each) =>
        each.frame >= part.to ? { ...each, frame: each.frame + by } : each,
      );
      result = { ...result, tracks, ...(markers ? { markers } : {}) };
    }
  }
  return result;
}

interface Range {
  readonly from: number;
  readonly to: number;
}

function merged(clips: readonly Clip[]): Range[] {
  const ranges: Range[] = [];
  for (const clip of clips) {
    const last = ranges.at(-1);
    if (last && clip.start <= last.to)
      ranges[ranges.length - 1] = { from: last.from, to: Math.max(last.to, clipEnd(clip)) };
    else ranges.push({ from: clip.start, to: clipEnd(clip) });
  }
  return ranges;
}

function emptyParts(timeline: Timeline, from: number, to: number): Range[] {
  const held = merged(
    sorted(
      timeline.tracks.flatMap(({ clips }) => clips.filter((clip) => clip.start < to && clipEnd(clip) > from)),
    ),
  );
  const parts: Range[] = [];
  let at = from;
  for (const range of held) {
    if (range.from > at) parts.push({ from: at, to: range.from });
    at = Math.max(at, range.to);
  }
  if (at < to) parts.push({ from: at, to });
  return parts;
}

/** Turns clips on or off; off ones keep their place and are neither shown nor heard. */
export const enableClips = (timeline: Timeline, ids: ReadonlySet<string>, enabled: boolean): Timeline =>
  withClips(timeline, ids, (clip) => (clip.enabled === enabled ? clip : { ...clip, enabled }));

export const changeTrack = (
  timeline: Timeline,
  id: string,
  change: Partial<Pick<Track, 'name' | 'enabled'>>,
): Timeline => withTracks(timeline, (track) => (track.id === id ? { ...track, ...change } : track));

/** Adds an empty track: a picture track above the others, a sound track below. */
export function addTrack(timeline: Timeline, kind: TrackKind, newId: NewId): Timeline {
  const same = timeline.tracks.filter((track) => track.kind === kind).length;
  const name = `${kind === 'picture' ? 'Picture' : 'Sound'} ${same + 1}`;
  return { ...timeline, tracks: [...timeline.tracks, { id: newId(), kind, name, enabled: true, clips: [] }] };
}

/** Deletes a track with its clips; the last track of a timeline stays. */
export const removeTrack = (timeline: Timeline, id: string): Timeline =>
  timeline.tracks.length > 1
    ? { ...timeline, tracks: timeline.tracks.filter((track) => track.id !== id) }
    : timeline;

/**
 * Changes the speed of clips: the same piece of the source takes more or fewer frames, and no frame of it is lost. Clips
 * behind one that needs more room move along on its track, transitions with them. Below zero it is played backwards.
 * @throws RangeError when the speed is not between 1 % and 1000 %, forwards or backwards
 */
export function changeSpeed(timeline: Timeline, ids: ReadonlySet<string>, speed: Rational): Timeline {
  const size = Math.abs(speed.num / speed.den);
  if (!(size >= 0.01 && size <= 10))
    throw new RangeError('A speed lies between 1 % and 1000 %, forwards or backwards.');
  return withTracks(timeline, (track) => {
    if (!track.clips.some(({ id }) => ids.has(id))) return track;
    const moved = new Map<number, number>();
    let end = 0;
    const clips = track.clips.map((before) => {
      const clip = { ...before, start: Math.max(before.start, end) };
      if (clip.start !== before.start) moved.set(before.start, clip.start);
      const length = ids.has(clip.id) ? Math.max(1, round(lengthAt(clip, speed))) : clip.length;
      end = clip.start + length;
      if (!ids.has(clip.id)) return clip.start === before.start ? before : clip;
      const turned = compare(speed, ZERO) > 0 !== compare(speedOf(clip), ZERO) > 0;
      // Reversed, the clip begins with its last frame.
      const sourceIn = turned ? inSource(timeInClip(clip, clip.length - 1, timeline.rate)) : clip.sourceIn;
      // What was never retimed keeps its pitch, and what follows its speed like a tape goes on to.
      const isFirst = clip.keepsPitch === undefined && isRetimedFirst(speedOf(clip), speed);
      return { ...clip, speed, sourceIn, length, ...(isFirst ? { keepsPitch: true } : {}) };
    });
    const transitions = track.transitions?.map((each) => ({ ...each, at: moved.get(each.at) ?? each.at }));
    return { ...track, clips, ...(transitions ? { transitions } : {}) };
  });
}

/** Whether a speed is no longer that of the recording, but for the direction. */
const isRetimedFirst = (before: Rational, now: Rational): boolean =>
  Math.abs(before.num) === before.den && Math.abs(now.num) !== now.den;

/** Lets the sound of clips keep its pitch at another speed, or follow the speed like a tape. */
export const keepPitch = (timeline: Timeline, ids: ReadonlySet<string>, keepsPitch: boolean): Timeline =>
  withTracks(timeline, (track) => ({
    ...track,
    clips: track.clips.map((clip) => (ids.has(clip.id) ? { ...clip, keepsPitch } : clip)),
  }));

function lengthAt(clip: Clip, speed: Rational): Rational {
  const frames = divide(multiply(rational(clip.length), speedOf(clip)), speed);
  return { num: Math.abs(frames.num), den: frames.den };
}

export function putMarker(timeline: Timeline, marker: Marker): Timeline {
  const others = (timeline.markers ?? []).filter(({ id }) => id !== marker.id);
  return { ...timeline, markers: [...others, marker].sort((a, b) => a.frame - b.frame) };
}

export const removeMarker = (timeline: Timeline, id: string): Timeline => ({
  ...timeline,
  markers: (timeline.markers ?? []).filter((marker) => marker.id !== id),
});

/** Clears a piece of every track. */
export const clearStretch = (timeline: Timeline, from: number, to: number, newId: NewId): Timeline =>
  withTracks(timeline, (track) => {
    const clips = cleared(track.clips, from, to, timeline.rate, newId);
    return clips.length === track.clips.length && clips.every((clip, at) => clip === track.clips[at])
      ? track
      : { ...track, clips };
  });

/** Nearest frame within `reach` of `frame` at which a clip outside `ids` begins or ends, or an in or out point is. */
export function snapped(
  timeline: Timeline,
  frame: number,
  reach: number,
  ids: ReadonlySet<string>,
  points: readonly number[],
): number {
  let best = frame;
  let distance = reach + 1;
  const look = (point: number): void => {
    const away = Math.abs(point - frame);
    if (away < distance) {
      best = point;
      distance = away;
    }
  };
  for (const { clips } of timeline.tracks) {
    for (const clip of clips) {
      if (ids.has(clip.id) || clipEnd(clip) < frame - reach || clip.start > frame + reach) continue;
      look(clip.start);
      look(clipEnd(clip));
    }
  }
  points.forEach(look);
  for (const marker of timeline.markers ?? []) look(marker.frame);
  return best;
}
