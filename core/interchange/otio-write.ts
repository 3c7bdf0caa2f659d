import { definitionOf, isEffectKind } from '../render/effects/catalogue.js';
import { add, toNumber, type Rational } from '../time/index.js';
import {
  clipEnd,
  speedOf,
  type Clip,
  type Effect,
  type Foreign,
  type ForeignItem,
  type Timeline,
  type Track,
  type Transition,
} from '../timeline/index.js';
import type { Json, JsonObject, MediaContent } from './imported.js';

/** What is written of a source. */
export interface WrittenMedia {
  readonly name: string;
  /** `file:` address or path of the original. */
  readonly target: string;
  readonly lengthSeconds: Rational;
  readonly rate: Rational;
  /** Its own timecode at the first frame, in seconds. */
  readonly startSeconds: Rational;
  readonly content?: MediaContent | undefined;
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
      if (each.kind === 'foreign') return each.item as Json;
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
  const reference = (target: string, content?: MediaContent): JsonObject => ({
    OTIO_SCHEMA: 'ExternalReference.1',
    metadata: content ? { hone: { sha256: content.sha256, bytes: content.bytes } } : {},
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
  const references: Record<string, Json> = {
    DEFAULT_MEDIA: media ? reference(media.target, media.content) : missing,
  };
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
    metadata: {
      ...metadataOf(clip.foreign),
      ...ownMetadata(clip),
    },
    effects: [
      ...((clip.foreign?.effects ?? []) as readonly Json[]),
      ...(clip.effects ?? []).map(effectOf),
      ...(speed === 1 ? [] : [warp]),
    ],
    source_range: rangeIn(timeIn(framesOf(start, rate), rate), timeIn(clip.length, rate)),
    enabled: clip.enabled,
    media_references: references,
    active_media_reference_key: 'DEFAULT_MEDIA',
  };
}

function ownMetadata({ framing, fades }: Clip): JsonObject {
  const own = { ...(framing ? { framing } : {}), ...(fades ? { fades: { ...fades } } : {}) };
  return Object.keys(own).length ? { hone: own } : {};
}

/** An effect with what Hone knows of it, for a Hone that reads it again. */
const effectOf = ({ kind, enabled, values, keyframes }: Effect): JsonObject => ({
  OTIO_SCHEMA: 'Effect.1',
  metadata: { hone: { kind, values, ...(keyframes ? { keyframes } : {}) } as unknown as JsonObject },
  name: '',
  effect_name: isEffectKind(kind) ? definitionOf(kind).name : kind,
  enabled,
});

/** Frames of a rate, with a fraction where the time falls between two. */
const framesOf = (time: Rational, rate: Rational): number =>
  Number(((time.num * rate.num) / (time.den * rate.den)).toFixed(9));

type Item =
  | { readonly kind: 'gap'; readonly frames: number }
  | { readonly kind: 'foreign'; readonly item: unknown }
  | { readonly kind: 'clip'; readonly clip: Clip }
  | { readonly kind: 'transition'; readonly transition: Transition };

function itemsOf(track: Track): Item[] {
  const at = new Map((track.transitions ?? []).map((each) => [each.at, each]));
  const items: Item[] = [];
  let end = 0;
  for (const clip of track.clips) {
    if (clip.start > end) items.push(...emptyItems(track, end, clip.start));
    else
      items.push(...standing(track, end).map(({ item: each }) => ({ kind: 'foreign' as const, item: each })));
    const into = at.get(clip.start);
    if (into) items.push({ kind: 'transition', transition: into });
    items.push({ kind: 'clip', clip });
    end = clipEnd(clip);
  }
  const last = Math.max(end, ...(track.foreign?.items ?? []).map(({ frame, length }) => frame + length));
  return [...items, ...emptyItems(track, end, last)];
}

/** Things without a length that another program put at a frame. */
const standing = ({ foreign }: Track, at: number): readonly ForeignItem[] =>
  (foreign?.items ?? []).filter(({ frame, length }) => frame === at && length === 0);

/** Empty frames, and what other programs had put there as far as it still fits. */
function emptyItems({ foreign }: Track, from: number, to: number): Item[] {
  const items: Item[] = [];
  let end = from;
  for (const { frame, length, item: each } of foreign?.items ?? []) {
    if (frame < end || frame + length > to) continue;
    if (frame > end) items.push({ kind: 'gap', frames: frame - end });
    items.push({ kind: 'foreign', item: each });
    end = frame + length;
  }
  if (to > end) items.push({ kind: 'gap', frames: to - end });
  return items;
}
