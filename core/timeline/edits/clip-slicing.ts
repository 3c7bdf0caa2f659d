import { add, compare, divide, sourceTimeAt, ZERO, type Rational } from '../../time/index.js';
import { laterStart } from '../effect.js';
import { clipEnd, speedOf, type Clip, type Timeline, type Track } from '../model.js';

/** Makes an identifier that the timeline does not have yet. */
export type NewId = () => string;

/** Length of a source in seconds; undefined when it is not known, and then nothing is limited by it. */
export type SourceLength = (sourceId: string) => Rational | undefined;

/** Source time of a clip's frame, counted from the clip's first. */
export function timeInClip(clip: Clip, frames: number, rate: Rational): Rational {
  return sourceTimeAt(clip.sourceIn, frames, rate, speedOf(clip));
}

/**
 * A time in a source, not before its beginning: backwards, the last frames of a clip may stand less than a frame before
 * the source's first, which is what they show.
 */
export const inSource = (time: Rational): Rational => (compare(time, ZERO) < 0 ? ZERO : time);

/** A clip from another frame of its own on; before its first frame it begins earlier in its source. */
export function beginningAt(clip: Clip, frame: number, rate: Rational): Clip {
  const sourceIn = inSource(timeInClip(clip, frame - clip.start, rate));
  const effects = clip.effects ? { effects: laterStart(clip.effects, frame - clip.start) } : {};
  return { ...clip, ...effects, start: frame, length: clipEnd(clip) - frame, sourceIn };
}

/** A clip whose sound does not come, or go, in some frames any more: it was cut off there. */
const cutOff = (clip: Clip, end: 'in' | 'out'): Clip =>
  clip.fades ? { ...clip, fades: { ...clip.fades, [end]: 0 } } : clip;

/** Parts of a clip before and from a frame within it. */
export const halves = (clip: Clip, frame: number, rate: Rational): readonly [Clip, Clip] => [
  cutOff(endingAt(clip, frame), 'out'),
  cutOff(beginningAt(clip, frame, rate), 'in'),
];

export const endingAt = (clip: Clip, frame: number): Clip => ({ ...clip, length: frame - clip.start });

/**
 * Clears the frames [from, to) of a track: what lies inside goes, what reaches into it is cut off, and a clip that
 * reaches over it becomes two.
 */
export function cleared(
  clips: readonly Clip[],
  from: number,
  to: number,
  rate: Rational,
  newId: NewId,
): readonly Clip[] {
  if (to <= from) return clips;
  return clips.flatMap((clip) => {
    const end = clipEnd(clip);
    if (end <= from || clip.start >= to) return [clip];
    const parts: Clip[] = [];
    if (clip.start < from) parts.push(halves(clip, from, rate)[0]);
    if (end > to) parts.push({ ...halves(clip, to, rate)[1], ...(parts.length ? { id: newId() } : {}) });
    return parts;
  });
}

export const sorted = (clips: readonly Clip[]): readonly Clip[] =>
  [...clips].sort((a, b) => a.start - b.start);

/** Overwrites part of a track with clips. */
export function overwritten(track: Track, added: readonly Clip[], rate: Rational, newId: NewId): Track {
  let { clips } = track;
  for (const clip of added) clips = cleared(clips, clip.start, clipEnd(clip), rate, newId);
  return { ...track, clips: sorted([...clips, ...added]) };
}

/** Moves the transitions at or after a frame. */
export function shiftedTransitions(track: Track, frame: number, by: number): Track {
  if (!track.transitions?.length) return track;
  const transitions = track.transitions.map((each) =>
    each.at >= frame ? { ...each, at: each.at + by } : each,
  );
  return { ...track, transitions };
}

/** Moves everything at or after a frame, on all tracks and with the markers; a clip that reaches over it is split. */
export function pushedFrom(timeline: Timeline, frame: number, by: number, newId: NewId): Timeline {
  if (by === 0) return timeline;
  const tracks = timeline.tracks.map((track) => ({
    ...shiftedTransitions(track, frame, by),
    clips: track.clips.flatMap((clip) => {
      if (clipEnd(clip) <= frame) return [clip];
      if (clip.start >= frame) return [{ ...clip, start: clip.start + by }];
      const after = { ...beginningAt(clip, frame, timeline.rate), id: newId() };
      return [endingAt(clip, frame), { ...after, start: frame + by }];
    }),
  }));
  const markers = timeline.markers?.map((each) =>
    each.frame >= frame ? { ...each, frame: each.frame + by } : each,
  );
  return { ...timeline, tracks, ...(markers ? { markers } : {}) };
}

/** Replaces the tracks that hold something to be changed, and leaves all others as they are. */
export function withTracks(timeline: Timeline, change: (track: Track, index: number) => Track): Timeline {
  const tracks = timeline.tracks.map(change);
  return tracks.some((track, index) => track !== timeline.tracks[index]) ? { ...timeline, tracks } : timeline;
}

/** Changes some clips, leaving tracks that hold none of them untouched. */
export function withClips(
  timeline: Timeline,
  ids: ReadonlySet<string>,
  change: (clip: Clip) => Clip,
): Timeline {
  return withTracks(timeline, (track) => {
    if (!track.clips.some(({ id }) => ids.has(id))) return track;
    return { ...track, clips: track.clips.map((clip) => (ids.has(clip.id) ? change(clip) : clip)) };
  });
}

/**
 * Most frames that a clip may have from its first on, and how many its first may still go back, before its source ends
 * or begins.
 */
export function roomOf(
  clip: Clip,
  rate: Rational,
  lengthOf: SourceLength,
): { readonly before: number; readonly after: number } {
  const length = lengthOf(clip.sourceId);
  const speed = speedOf(clip);
  const perFrame = divide(speed, rate);
  const absolute = { num: Math.abs(perFrame.num), den: perFrame.den };
  const frames = (seconds: Rational): number => Math.max(0, Math.floor(toFrames(seconds, absolute)));
  const toStart = clip.sourceIn;
  const toEnd = length ? add(length, { num: -clip.sourceIn.num, den: clip.sourceIn.den }) : undefined;
  const forwards = compare(speed, ZERO) > 0;
  const back = forwards ? toStart : toEnd;
  const on = forwards ? toEnd : toStart;
  return { before: back ? frames(back) : Infinity, after: on ? Math.max(1, frames(on)) : Infinity };
}

function toFrames(seconds: Rational, perFrame: Rational): number {
  const frames = divide(seconds, perFrame);
  return frames.num / frames.den;
}
