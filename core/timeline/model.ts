import { compare, floor, multiply, type Rational, ZERO } from '../time/index.js';

/** Pixels, positive integers. */
export interface FrameSize {
  readonly width: number;
  readonly height: number;
}

export type TrackKind = 'picture' | 'sound';

/** A piece of a source on a track. `start` and `length` count frames of the timeline's rate. */
export interface Clip {
  readonly id: string;
  readonly name: string;
  readonly sourceId: string;
  readonly start: number;
  readonly length: number;
  /** Seconds from the first frame of the source to the clip's first frame. */
  readonly sourceIn: Rational;
  readonly enabled: boolean;
}

/** Clips are sorted by start and never overlap. */
export interface Track {
  readonly id: string;
  readonly kind: TrackKind;
  readonly name: string;
  readonly enabled: boolean;
  readonly clips: readonly Clip[];
}

/** Picture tracks stack from the first (bottom) to the last (top). */
export interface Timeline {
  readonly rate: Rational;
  /** Frame number of the first frame, for timecode. */
  readonly startFrame: number;
  readonly size: FrameSize;
  readonly tracks: readonly Track[];
}

export const clipEnd = (clip: Clip): number => clip.start + clip.length;

/** Frames from the first to the end of the last clip. */
export function timelineLength(timeline: Timeline): number {
  return Math.max(0, ...timeline.tracks.flatMap((track) => track.clips.map(clipEnd)));
}

/** An empty timeline with one picture and one sound track. */
export function emptyTimeline(rate: Rational, size: FrameSize): Timeline {
  return {
    rate,
    startFrame: 0,
    size,
    tracks: [
      { id: 'p1', kind: 'picture', name: 'Picture 1', enabled: true, clips: [] },
      { id: 's1', kind: 'sound', name: 'Sound 1', enabled: true, clips: [] },
    ],
  };
}

/** What an edit needs to know of a source. */
export interface Placeable {
  readonly sourceId: string;
  readonly name: string;
  readonly durationSeconds: Rational;
  readonly hasPicture: boolean;
  readonly hasSound: boolean;
}

/**
 * Puts the whole source after the last clip: its picture on the first picture track, its sound on the first sound
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
      sourceIn: ZERO,
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

/**
 * Looks for what would make a timeline unplayable.
 * @returns one sentence for each fault; empty when there is none
 */
export function timelineFaults(timeline: Timeline): string[] {
  const faults: string[] = [];
  if (compare(timeline.rate, ZERO) <= 0) faults.push('The timeline has no frame rate.');
  const ids = new Set<string>();
  for (const track of timeline.tracks) {
    let end = 0;
    for (const clip of track.clips) {
      if (ids.has(clip.id)) faults.push(`Two clips have the identifier ${clip.id}.`);
      ids.add(clip.id);
      if (clip.start < end) faults.push(`"${clip.name}" on ${track.name} overlaps the clip before it.`);
      if (clip.length < 1) faults.push(`"${clip.name}" on ${track.name} has no length.`);
      if (compare(clip.sourceIn, ZERO) < 0) faults.push(`"${clip.name}" begins before its source.`);
      end = clipEnd(clip);
    }
  }
  return faults;
}
