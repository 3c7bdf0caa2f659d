import {
  clipEnd,
  moveClips,
  setTransitionLength,
  snapped,
  trimClip,
  type Clip,
  type SourceLength,
  type Timeline,
  type Track,
  type Transition,
} from '@hone/core/timeline';

/** A place on the timeline under the pointer. */
export interface Place {
  /** Not rounded. */
  readonly frame: number;
  /** The track under the pointer; null on the ruler and on lanes. */
  readonly track: Track | null;
  readonly x: number;
  readonly y: number;
}

/** Pixels around an end of a clip in which it is taken hold of. */
const END_PIXELS = 6;
/** Pixels that the pointer moves before a press is a drag. */
const SLIP_PIXELS = 4;
export const SNAP_PIXELS = 8;

export type Hold = { readonly clip: Clip; readonly part: 'body' | 'start' | 'end' };

/** The clip at a frame of a track, by halving. */
export function clipAt(track: Track, frame: number): Clip | undefined {
  let low = 0;
  let high = track.clips.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (track.clips[middle]!.start <= frame) low = middle;
    else high = middle - 1;
  }
  const clip = track.clips[low];
  return clip && clip.start <= frame && frame < clipEnd(clip) ? clip : undefined;
}

/** Target of a press at a position. */
export function holdAt({ frame, track }: Place, framesPerPixel: number): Hold | undefined {
  const clip = track && clipAt(track, frame);
  if (!clip) return undefined;
  // Of a narrow clip the middle third stays to be moved by.
  const reach = Math.min(END_PIXELS * framesPerPixel, clip.length / 3);
  if (frame - clip.start < reach) return { clip, part: 'start' };
  if (clipEnd(clip) - frame < reach) return { clip, part: 'end' };
  return { clip, part: 'body' };
}

/** The transition whose edge is under the pointer. */
export function transitionAt({ frame, track }: Place, framesPerPixel: number): Transition | undefined {
  return track?.transitions?.find(({ at, before, after }) => {
    const reach = Math.min(END_PIXELS * framesPerPixel, (before + after) / 3);
    return Math.abs(frame - (at - before)) < reach || Math.abs(frame - (at + after)) < reach;
  });
}

/** A drag. The timeline changes only when the pointer is released. */
export interface Drag {
  /** Whether it has become more than a press. */
  readonly isDrag: boolean;
  /** The timeline after a release of the pointer here. */
  at(place: Place): Timeline;
}

/** A transition that is made longer or shorter by an edge. */
export class TransitionDrag implements Drag {
  private moved = false;

  constructor(
    private readonly timeline: Timeline,
    private readonly transition: Transition,
    private readonly from: Place,
  ) {}

  get isDrag(): boolean {
    return this.moved;
  }

  at(place: Place): Timeline {
    if (Math.abs(place.x - this.from.x) >= SLIP_PIXELS) this.moved = true;
    if (!this.moved) return this.timeline;
    const { id, at } = this.transition;
    return setTransitionLength(this.timeline, id, 2 * Math.round(Math.abs(place.frame - at)));
  }
}

export interface DragSetting {
  readonly timeline: Timeline;
  readonly ids: ReadonlySet<string>;
  readonly lengthOf: SourceLength;
  readonly newId: () => string;
  /** Frames that a dragged end is drawn to something near; 0 for none. */
  readonly snapFrames: number;
  readonly points: readonly number[];
}

/** A press on a clip that may become a move or a trim. */
export class ClipDrag implements Drag {
  private moved = false;

  constructor(
    private readonly hold: Hold,
    private readonly from: Place,
    private readonly setting: DragSetting,
  ) {}

  get isDrag(): boolean {
    return this.moved;
  }

  at(place: Place): Timeline {
    const { timeline } = this.setting;
    if (Math.hypot(place.x - this.from.x, place.y - this.from.y) >= SLIP_PIXELS) this.moved = true;
    if (!this.moved) return timeline;
    return this.hold.part === 'body' ? this.movedTo(place) : this.trimmedTo(place, this.hold.part);
  }

  private trimmedTo(place: Place, end: 'start' | 'end'): Timeline {
    const { timeline, lengthOf, snapFrames, points } = this.setting;
    const { clip } = this.hold;
    const frame = snapped(timeline, Math.round(place.frame), snapFrames, new Set([clip.id]), points);
    return trimClip(timeline, clip.id, end, frame, lengthOf);
  }

  private movedTo(place: Place): Timeline {
    const { timeline, ids, newId, snapFrames, points } = this.setting;
    const { clip } = this.hold;
    const by = Math.round(place.frame - this.from.frame);
    const near = (frame: number): number => snapped(timeline, frame, snapFrames, ids, points) - frame;
    const atStart = near(clip.start + by);
    const atEnd = near(clipEnd(clip) + by);
    const pull = atStart !== 0 && (atEnd === 0 || Math.abs(atStart) <= Math.abs(atEnd)) ? atStart : atEnd;
    return moveClips(timeline, ids, by + pull, this.tracksBetween(place), newId);
  }

  private tracksBetween({ track }: Place): number {
    const { track: from } = this.from;
    if (!track || !from || track.kind !== from.kind) return 0;
    const same = this.setting.timeline.tracks.filter(({ kind }) => kind === from.kind);
    return same.findIndex(({ id }) => id === track.id) - same.findIndex(({ id }) => id === from.id);
  }
}

/** Clips that a box touches: between two frames, on the tracks between two heights. */
export function clipsInBox(tracks: readonly Track[], from: number, to: number): string[] {
  const low = Math.min(from, to);
  const high = Math.max(from, to);
  return tracks.flatMap(({ clips }) =>
    clips.filter((clip) => clip.start < high && clipEnd(clip) > low).map(({ id }) => id),
  );
}
