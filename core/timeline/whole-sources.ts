import { divide, floor, multiply, rational, type Rational, ZERO } from '../time/index.js';
import {
  clipEnd,
  emptyTimeline,
  timelineLength,
  type Clip,
  type FrameSize,
  type Timeline,
  type TrackKind,
} from './model.js';

/** Properties of a source that an edit needs. */
export interface Placeable {
  readonly sourceId: string;
  readonly name: string;
  readonly durationSeconds: Rational;
  readonly hasPicture: boolean;
  readonly hasSound: boolean;
  /** Time of the source at which the clip begins; its beginning when absent. */
  readonly sourceIn?: Rational | undefined;
}

/**
 * A part of a source, from its in point to its out point.
 * @param first frame of the part, at a rate @param last frame of it
 */
export function partOf(source: Placeable, rate: Rational, first: number, last: number): Placeable {
  const seconds = (frames: number): Rational => divide(rational(frames), rate);
  return { ...source, sourceIn: seconds(first), durationSeconds: seconds(last - first + 1) };
}

/**
 * Puts a source after the last clip: its picture on the first picture track, its sound on the first sound
 * track, both at the same frame.
 * @param newId makes an identifier that the timeline does not have yet
 * @throws RangeError when the source is shorter than one frame of the timeline
 */
export function appendSource(timeline: Timeline, source: Placeable, newId: () => string): Timeline {
  const start = timelineLength(timeline);
  const length = floor(multiply(source.durationSeconds, timeline.rate));
  if (length < 1) throw new RangeError(`"${source.name}" is shorter than one frame of the timeline.`);
  const wanted = new Set<TrackKind>();
  if (source.hasPicture) wanted.add('picture');
  if (source.hasSound) wanted.add('sound');
  const tracks = timeline.tracks.map((track) => {
    if (!wanted.delete(track.kind)) return track;
    const clip: Clip = {
      id: newId(),
      name: source.name,
      sourceId: source.sourceId,
      start,
      length,
      sourceIn: source.sourceIn ?? ZERO,
      enabled: true,
    };
    return { ...track, clips: [...track.clips, clip] };
  });
  return { ...timeline, tracks };
}

const even = (side: number): number => side + (side % 2);

/** One whole source as a timeline of its own, to play it before it is used anywhere. */
export function soloTimeline(
  source: Placeable,
  shape: { readonly rate: Rational; readonly size: FrameSize },
): Timeline {
  const size = { width: even(shape.size.width), height: even(shape.size.height) };
  const empty = emptyTimeline(shape.rate, size);
  let next = 0;
  return floor(multiply(source.durationSeconds, shape.rate)) < 1
    ? empty
    : appendSource(empty, source, () => `solo-${next++}`);
}

/**
 * Takes off the topmost picture clip at a frame, with the sound of the same source that begins with it, and leaves a
 * gap. Where there is no picture, the first sound clip goes.
 * @returns the same timeline when there is no clip at the frame
 */
export function takeOffAt(timeline: Timeline, frame: number): Timeline {
  const at = (kind: TrackKind): Clip[] =>
    timeline.tracks
      .filter((track) => track.kind === kind)
      .flatMap((track) => track.clips.filter((clip) => clip.start <= frame && frame < clipEnd(clip)));
  const taken = at('picture').at(-1) ?? at('sound')[0];
  if (!taken) return timeline;
  const goes = (clip: Clip): boolean =>
    clip.id === taken.id ||
    (clip.sourceId === taken.sourceId && clip.start === taken.start && clip.length === taken.length);
  const tracks = timeline.tracks.map((track) => ({
    ...track,
    clips: track.clips.filter((clip) => !goes(clip)),
  }));
  return { ...timeline, tracks };
}
