import { floor, multiply, ZERO, type Rational } from '../../time/index.js';
import { clipEnd, type Clip, type Timeline, type Track, type TrackKind } from '../model.js';
import type { Placeable } from '../whole-sources.js';
import { overwritten, pushedFrom, withTracks, type NewId } from './clip-slicing.js';

/** `insert` moves later clips along, `overwrite` replaces what it covers. */
export type PlaceMode = 'insert' | 'overwrite';

/** A clip that was copied, with the track that it came from and its distance from the first one. */
export interface CopiedClip {
  readonly clip: Clip;
  readonly kind: TrackKind;
  readonly trackIndex: number;
  readonly offset: number;
}

/**
 * Puts sources one after the other at a frame: their pictures on a picture track, their sound on a sound track.
 * @param tracks identifiers of the tracks to use; without one, the first of its kind
 * @throws RangeError when a source is shorter than one frame of the timeline
 */
export function placeSources(
  timeline: Timeline,
  sources: readonly Placeable[],
  at: number,
  mode: PlaceMode,
  newId: NewId,
  tracks: { readonly picture?: string | undefined; readonly sound?: string | undefined } = {},
): Timeline {
  let frame = at;
  const added = new Map<TrackKind, Clip[]>([
    ['picture', []],
    ['sound', []],
  ]);
  for (const source of sources) {
    const length = framesOf(source, timeline.rate);
    for (const kind of kindsOf(source)) {
      const { name, sourceId } = source;
      added.get(kind)!.push({
        id: newId(),
        name,
        sourceId,
        start: frame,
        length,
        sourceIn: source.sourceIn ?? ZERO,
        enabled: true,
      });
    }
    frame += length;
  }
  const room = mode === 'insert' ? pushedFrom(timeline, at, frame - at, newId) : timeline;
  const done = new Set<TrackKind>();
  return withTracks(room, (track) => {
    const wanted = tracks[track.kind];
    const clips = added.get(track.kind)!;
    if (done.has(track.kind) || (wanted !== undefined && wanted !== track.id) || clips.length === 0)
      return track;
    done.add(track.kind);
    return overwritten(track, clips, timeline.rate, newId);
  });
}

const kindsOf = (source: Placeable): TrackKind[] => [
  ...(source.hasPicture ? (['picture'] as const) : []),
  ...(source.hasSound ? (['sound'] as const) : []),
];

function framesOf(source: Placeable, rate: Rational): number {
  const length = floor(multiply(source.durationSeconds, rate));
  if (length < 1) throw new RangeError(`"${source.name}" is shorter than one frame of the timeline.`);
  return length;
}

/** Where sources would be put at a frame, and what would be overwritten there. */
export interface PlaceTarget {
  readonly picture: string | undefined;
  readonly sound: string | undefined;
  /** Clips that would be overwritten, in part or entirely. */
  readonly hit: readonly Clip[];
}

/**
 * The tracks on which sources are put at a frame: the named one, else that of a selected clip, else the highest one that is
 * free there, else the lowest of its kind.
 * @param ids of selected clips @param trackId of the named track; undefined without one
 */
export function placeTarget(
  timeline: Timeline,
  sources: readonly Placeable[],
  at: number,
  ids: ReadonlySet<string>,
  trackId?: string,
): PlaceTarget {
  const to = at + sources.reduce((sum, source) => sum + framesOf(source, timeline.rate), 0);
  const hits = ({ clips }: Track): Clip[] => clips.filter((clip) => clip.start < to && clipEnd(clip) > at);
  const target = (kind: TrackKind): Track | undefined => {
    if (!sources.some((source) => kindsOf(source).includes(kind))) return undefined;
    const own = timeline.tracks.filter((track) => track.kind === kind);
    const named = own.find(({ id }) => id === trackId);
    const selected = own.find(({ clips }) => clips.some(({ id }) => ids.has(id)));
    return named ?? selected ?? own.filter((track) => hits(track).length === 0).at(-1) ?? own[0];
  };
  const [picture, sound] = [target('picture'), target('sound')];
  return {
    picture: picture?.id,
    sound: sound?.id,
    hit: [picture, sound].flatMap((track) => (track ? hits(track) : [])),
  };
}

/** The selected clips, to be put in elsewhere. */
export function copyClips(timeline: Timeline, ids: ReadonlySet<string>): CopiedClip[] {
  const found = timeline.tracks.flatMap(({ kind, clips }, trackIndex) =>
    clips.filter(({ id }) => ids.has(id)).map((clip) => ({ clip, kind, trackIndex })),
  );
  const first = Math.min(...found.map(({ clip }) => clip.start));
  return found.map((each) => ({ ...each, offset: each.clip.start - first }));
}

/** Puts copied clips at a frame, on the tracks that they came from where those are of the same kind. */
export function pasteClips(
  timeline: Timeline,
  copied: readonly CopiedClip[],
  at: number,
  mode: PlaceMode,
  newId: NewId,
): Timeline {
  const length = Math.max(0, ...copied.map(({ offset, clip }) => offset + clip.length));
  const room = mode === 'insert' ? pushedFrom(timeline, at, length, newId) : timeline;
  const trackOf = ({ kind, trackIndex }: CopiedClip): number => {
    if (timeline.tracks[trackIndex]?.kind === kind) return trackIndex;
    return timeline.tracks.findIndex((track) => track.kind === kind);
  };
  return withTracks(room, (track, index) => {
    const clips = copied
      .filter((each) => trackOf(each) === index)
      .map(({ clip, offset }) => ({ ...clip, id: newId(), start: at + offset }));
    return clips.length ? overwritten(track, clips, timeline.rate, newId) : track;
  });
}

/** The first frame behind the last of some clips. */
export const endOf = (clips: readonly Clip[]): number => Math.max(0, ...clips.map(clipEnd));
