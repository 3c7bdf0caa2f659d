import { add, toNumber, type Rational } from '../time/index.js';
import {
  clipEnd,
  speedOf,
  type Clip,
  type Foreign,
  type Timeline,
  type Track,
  type Transition,
} from '../timeline/index.js';
import type { Json, JsonObject } from './imported.js';

/** What is written of a source. */
export interface WrittenMedia {
  readonly name: string;
  /** `file:` address or path of the original. */
  readonly target: string;
  readonly lengthSeconds: Rational;
  readonly rate: Rational;
  /** Its own timecode at the first frame, in seconds. */
  readonly startSeconds: Rational;
  /** Address of its light copy, if it has one. */
  readonly copyTarget?: string | undefined;
}

/** Writes a timeline as OpenTimelineIO: `Timeline.1` with `Clip.2`, by its published schema. */
export function writeOtio(
  name: string,
  timeline: Timeline,
  mediaOf: (sourceId: string) => WrittenMedia | undefined,
): string {
  const { rate } = timeline;
  const inFrames = (frames: number): JsonObject => timeIn(frames, rate);
  const tracks = timeline.tracks.map((track) => ({
    ...item('Track.1', track.name, track.foreign),
    source_range: null,
    kind: track.kind === 'picture' ? 'Video' : 'Audio',
    enabled: track.enabled,
    children: itemsOf(track).map((each) => {
      if (each.kind === 'gap') return gap(inFrames(each.frames));
      if (each.kind === 'transition') return transition(each.transition, inFrames);
      return clipOf(each.clip, rate, mediaOf(each.clip.sourceId));
    }),
  }));
  const markers = (timeline.markers ?? []).map((marker) => ({
    OTIO_SCHEMA: 'Marker.2',
    metadata: {},
    name: marker.name,
    color: 'WHITE',
    comment: marker.note,
    marked_range: rangeIn(inFrames(marker.frame), inFrames(0)),
  }));
  const file: JsonObject = {
    OTIO_SCHEMA: 'Timeline.1',
    metadata: {
      ...metadataOf(timeline.foreign),
      hone: { size: { width: timeline.size.width, height: timeline.size.height } },
    },
    name,
    global_start_time: inFrames(timeline.startFrame),
    tracks: { ...item('Stack.1', 'tracks'), markers, source_range: null, enabled: true, children: tracks },
  };
  return JSON.stringify(file, null, 1);
}

const metadataOf = (foreign: Foreign | undefined): JsonObject => (foreign?.metadata ?? {}) as JsonObject;

const item = (schema: string, name: string, foreign?: Foreign): JsonObject => ({
  OTIO_SCHEMA: schema,
  metadata: metadataOf(foreign),
  name,
  effects: [],
  markers: [],
});

const timeIn = (value: number, rate: Rational): JsonObject => ({
  OTIO_SCHEMA: 'RationalTime.1',
  value,
  rate: toNumber(rate),
});

const rangeIn = (start: JsonObject, duration: JsonObject): JsonObject => ({
  OTIO_SCHEMA: 'TimeRange.1',
  start_time: start,
  duration,
});

const gap = (duration: JsonObject): JsonObject => ({
  ...item('Gap.1', ''),
  source_range: rangeIn({ ...duration, value: 0 }, duration),
  enabled: true,
});

const TYPES = { crossfade: 'SMPTE_Dissolve', dip: 'Custom_Dip', wipe: 'Custom_Wipe' } as const;

const transition = (
  { kind, before, after, colour }: Transition,
  inFrames: (frames: number) => JsonObject,
): JsonObject => ({
  OTIO_SCHEMA: 'Transition.1',
  metadata: colour ? { hone: { colour } } : {},
  name: '',
  transition_type: TYPES[kind],
  in_offset: inFrames(before),
  out_offset: inFrames(after),
});

function clipOf(clip: Clip, rate: Rational, media: WrittenMedia | undefined): JsonObject {
  const speed = toNumber(speedOf(clip));
  const start = add(clip.sourceIn, media?.startSeconds ?? { num: 0, den: 1 });
  const reference = (target: string): JsonObject => ({
    OTIO_SCHEMA: 'ExternalReference.1',
    metadata: {},
    name: media!.name,
    available_range: rangeIn(
      timeIn(framesOf(media!.startSeconds, media!.rate), media!.rate),
      timeIn(framesOf(media!.lengthSeconds, media!.rate), media!.rate),
    ),
    target_url: target,
  });
  const missing: JsonObject = {
    OTIO_SCHEMA: 'MissingReference.1',
    metadata: {},
    name: '',
    available_range: null,
  };
  const references: Record<string, Json> = { DEFAULT_MEDIA: media ? reference(media.target) : missing };
  if (media?.copyTarget !== undefined) references['light_copy'] = reference(media.copyTarget);
  const warp: JsonObject = {
    OTIO_SCHEMA: 'LinearTimeWarp.1',
    metadata: {},
    name: '',
    effect_name: 'LinearTimeWarp',
    time_scalar: speed,
  };
  return {
    ...item('Clip.2', clip.name, clip.foreign),
    effects: [...((clip.foreign?.effects ?? []) as readonly Json[]), ...(speed === 1 ? [] : [warp])],
    source_range: rangeIn(timeIn(framesOf(start, rate), rate), timeIn(clip.length, rate)),
    enabled: clip.enabled,
    media_references: references,
    active_media_reference_key: 'DEFAULT_MEDIA',
  };
}

/** Frames of a rate, with a fraction where the time falls between two. */
const framesOf = (time: Rational, rate: Rational): number =>
  Number(((time.num * rate.num) / (time.den * rate.den)).toFixed(9));

type Item =
  | { readonly kind: 'gap'; readonly frames: number }
  | { readonly kind: 'clip'; readonly clip: Clip }
  | { readonly kind: 'transition'; readonly transition: Transition };

function itemsOf(track: Track): Item[] {
  const at = new Map((track.transitions ?? []).map((each) => [each.at, each]));
  const items: Item[] = [];
  let end = 0;
  for (const clip of track.clips) {
    if (clip.start > end) items.push({ kind: 'gap', frames: clip.start - end });
    const into = at.get(clip.start);
    if (into) items.push({ kind: 'transition', transition: into });
    items.push({ kind: 'clip', clip });
    end = clipEnd(clip);
  }
  return items;
}
