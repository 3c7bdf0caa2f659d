import { compare, type Rational, ZERO } from '../time/index.js';
import type { Effect } from './effect.js';

/** Pixels, positive integers. */
export interface FrameSize {
  readonly width: number;
  readonly height: number;
}

export type TrackKind = 'picture' | 'sound';

/** Fields of another program's file, kept to be written back; Hone never reads them. */
export interface Foreign {
  readonly metadata?: object | undefined;
  /** Fields beside its metadata. */
  readonly fields?: object | undefined;
  /** Effects that are not known here. */
  readonly effects?: readonly unknown[] | undefined;
  /** Of a track: unknown items, and the empty frames in their place. */
  readonly items?: readonly ForeignItem[] | undefined;
  /** Of a track: created for the upper tracks of a nested stack. */
  readonly isNested?: boolean | undefined;
  /** Of a clip: the nested stack that it was flattened from. */
  readonly nest?: string | undefined;
  /** Of a clip: other media references in the file, and which was active. */
  readonly media?: ForeignMedia | undefined;
  /** Of a timeline: metadata of the stack that holds its tracks. */
  readonly stack?: Omit<Foreign, 'stack'> | undefined;
}

export interface ForeignMedia {
  readonly key: string;
  readonly references: object;
}

/** An unknown item on a track. It is written back as long as nothing takes its place. */
export interface ForeignItem {
  readonly frame: number;
  readonly length: number;
  readonly item: unknown;
  /** Of a nested stack: fingerprint of its flattened clips, which tells whether they have been edited since. */
  readonly nest?: Nest | undefined;
}

export interface Nest {
  readonly id: string;
  /** Frames from its beginning to its first clip. */
  readonly lead: number;
  /** Its clips and transitions as they were. */
  readonly print: string;
}

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
  /** Source seconds for each second of the timeline, 1 when absent; below zero it plays backwards from `sourceIn`. */
  readonly speed?: Rational | undefined;
  /** Whether sound at another speed keeps its pitch; when absent, it follows the speed like a tape. */
  readonly keepsPitch?: boolean | undefined;
  /** In the order in which they are done; none when absent. */
  readonly effects?: readonly Effect[] | undefined;
  /** Whether the picture is made as large as goes into the frame, or as small as covers it; fit when absent. */
  readonly framing?: Framing | undefined;
  /** Fades of the sound; none when absent. */
  readonly fades?: Fades | undefined;
  readonly foreign?: Foreign | undefined;
}

/** Frames in which sound comes at the beginning of a clip and goes at its end. */
export interface Fades {
  readonly in: number;
  readonly out: number;
}

export const FRAMINGS = ['fit', 'fill'] as const;

export type Framing = (typeof FRAMINGS)[number];

/** A note at a frame. */
export interface Marker {
  readonly id: string;
  readonly frame: number;
  readonly name: string;
  readonly note: string;
  readonly foreign?: Foreign | undefined;
}

export const TRANSITION_KINDS = ['crossfade', 'dip', 'wipe'] as const;

export type TransitionKind = (typeof TRANSITION_KINDS)[number];

/**
 * How one clip gives way to the next at a cut: both are seen during `before` frames ahead of it and `after` frames
 * behind it, the one going on beyond its end, the other beginning before its start.
 */
export interface Transition {
  readonly id: string;
  readonly kind: TransitionKind;
  /** The frame at which one clip ends and the next begins. */
  readonly at: number;
  readonly before: number;
  readonly after: number;
  /** Colour of a dip, as #rrggbb. */
  readonly colour?: string | undefined;
  readonly foreign?: Foreign | undefined;
}

/** Clips are sorted by start and never overlap. */
export interface Track {
  readonly id: string;
  readonly kind: TrackKind;
  readonly name: string;
  readonly enabled: boolean;
  readonly clips: readonly Clip[];
  /** Sorted by frame; none when absent. */
  readonly transitions?: readonly Transition[] | undefined;
  readonly foreign?: Foreign | undefined;
}

/** Picture tracks stack from the first (bottom) to the last (top). */
export interface Timeline {
  readonly rate: Rational;
  /** Frame number of the first frame, for timecode. */
  readonly startFrame: number;
  /** Whether its timecode skips numbers (SMPTE ST 12-1); left out, it does where the rate allows it. */
  readonly dropFrame?: boolean | undefined;
  readonly size: FrameSize;
  readonly tracks: readonly Track[];
  /** Sorted by frame; none when absent. */
  readonly markers?: readonly Marker[] | undefined;
  readonly foreign?: Foreign | undefined;
}

const NORMAL: Rational = { num: 1, den: 1 };

export const speedOf = (clip: Pick<Clip, 'speed'>): Rational => clip.speed ?? NORMAL;

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

/** Transitions of a track that are at a cut and do not overlap, in order. */
export function fittingTransitions({ clips, transitions = [] }: Track): readonly Transition[] {
  const ends = new Map(clips.map((clip) => [clipEnd(clip), clip]));
  const starts = new Map(clips.map((clip) => [clip.start, clip]));
  let taken = 0;
  return transitions.filter(({ at, before, after }) => {
    const out = ends.get(at);
    const into = starts.get(at);
    const fits =
      out !== undefined &&
      into !== undefined &&
      before + after > 0 &&
      at - before >= Math.max(out.start, taken) &&
      at + after <= clipEnd(into);
    if (fits) taken = at + after;
    return fits;
  });
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
      if (compare(speedOf(clip), ZERO) === 0) faults.push(`"${clip.name}" has no speed.`);
      end = clipEnd(clip);
    }
    if (track.transitions && fittingTransitions(track).length !== track.transitions.length)
      faults.push(`A transition on ${track.name} stands at no cut, or is longer than the clips beside it.`);
  }
  return faults;
}
