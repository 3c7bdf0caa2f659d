import { definitionOf, isEffectKind } from '../render/effects/catalogue.js';
import { add, toNumber, type Rational } from '../time/index.js';
import {
  clipEnd,
  speedOf,
  type Clip,
  type Effect,
  type Foreign,
  type ForeignItem,
  type Marker,
  type Timeline,
  type Track,
  type Transition,
} from '../timeline/index.js';
import type { Json, JsonObject, MediaContent } from './imported.js';
import { unchangedNestedStacks, type UnchangedNestedStack } from './nested-stacks.js';
import { DEFAULT_KEY, transitionKindOf, TYPES } from './otio-clip.js';

/** Properties of a source that are written to the file. */
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
  const stack = timeline.foreign?.stack;
  const inFrames = (frames: number): JsonObject => timeIn(frames, rate);
  const nests = unchangedNestedStacks(timeline);
  const tracks = timeline.tracks.flatMap((track) => {
    const items = itemsOf(track, nests);
    // It is part of a nested stack.
    if (track.foreign?.isNested && items.every(({ kind }) => kind === 'gap')) return [];
    return {
      ...item('Track.1', track.name, track.foreign),
      source_range: null,
      kind: track.kind === 'picture' ? 'Video' : 'Audio',
      enabled: track.enabled,
      children: items.map((each) => {
        if (each.kind === 'gap') return gap(inFrames(each.frames));
        if (each.kind === 'foreign') return each.item as Json;
        if (each.kind === 'transition') return transition(each.transition, inFrames);
        return clipOf(each.clip, rate, mediaOf(each.clip.sourceId));
      }),
    };
  });
  const markers = (timeline.markers ?? []).map((marker) => markerOf(marker, inFrames));
  const file: JsonObject = {
    ...fieldsOf(timeline.foreign),
    OTIO_SCHEMA: 'Timeline.1',
    metadata: {
      ...metadataOf(timeline.foreign),
      hone: {
        size: { width: timeline.size.width, height: timeline.size.height },
        ...(timeline.dropFrame === undefined ? {} : { dropFrame: timeline.dropFrame }),
      },
    },
    name,
    global_start_time: inFrames(timeline.startFrame),
    tracks: {
      ...item('Stack.1', 'tracks', stack),
      ...pick(fieldsOf(stack), 'name'),
      markers,
      source_range: null,
      enabled: true,
      children: tracks,
    },
  };
  return JSON.stringify(file, null, 1);
}

const metadataOf = (foreign: Foreign | undefined): JsonObject => (foreign?.metadata ?? {}) as JsonObject;

const fieldsOf = (foreign: Foreign | undefined): JsonObject => (foreign?.fields ?? {}) as JsonObject;

const pick = (fields: JsonObject, key: string): JsonObject =>
  fields[key] === undefined ? {} : { [key]: fields[key] };

const item = (schema: string, name: string, foreign?: Foreign): JsonObject => ({
  ...fieldsOf(foreign),
  OTIO_SCHEMA: schema,
  metadata: metadataOf(foreign),
  name,
  effects: (foreign?.effects ?? []) as readonly Json[],
  markers: [],
});

function markerOf(
  { frame, name, note, foreign }: Marker,
  inFrames: (frames: number) => JsonObject,
): JsonObject {
  const { marked_range: range, ...fields } = fieldsOf(foreign);
  return {
    color: 'WHITE',
    ...fields,
    OTIO_SCHEMA: 'Marker.2',
    metadata: metadataOf(foreign),
    name,
    comment: note,
    marked_range: range
      ? { ...(range as JsonObject), start_time: inFrames(frame) }
      : rangeIn(inFrames(frame), inFrames(0)),
  };
}

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

function transition(
  { kind, before, after, colour, foreign }: Transition,
  inFrames: (frames: number) => JsonObject,
): JsonObject {
  const { transition_type: type, ...fields } = fieldsOf(foreign);
  const isSameKind = typeof type === 'string' && (transitionKindOf(type) ?? 'crossfade') === kind;
  return {
    name: '',
    ...fields,
    OTIO_SCHEMA: 'Transition.1',
    metadata: { ...metadataOf(foreign), ...(colour ? { hone: { colour } } : {}) },
    transition_type: isSameKind ? type : TYPES[kind],
    in_offset: inFrames(before),
    out_offset: inFrames(after),
  };
}

function clipOf(clip: Clip, rate: Rational, media: WrittenMedia | undefined): JsonObject {
  const speed = toNumber(speedOf(clip));
  const start = add(clip.sourceIn, media?.startSeconds ?? { num: 0, den: 1 });
  const reference = (target: string, own: JsonObject | undefined, kept: JsonObject = {}): JsonObject => ({
    ...kept,
    OTIO_SCHEMA: 'ExternalReference.1',
    metadata: { ...without((kept['metadata'] ?? {}) as JsonObject, 'hone'), ...(own ? { hone: own } : {}) },
    name: kept['name'] ?? media!.name,
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
  const { key = DEFAULT_KEY, references: kept = {} } = clip.foreign?.media ?? {};
  const others = kept as Record<string, JsonObject>;
  const content = media?.content && { sha256: media.content.sha256, bytes: media.content.bytes };
  const references: Record<string, Json> = {
    ...others,
    [key]: media ? reference(media.target, content, others[key]) : (others[key] ?? missing),
  };
  if (media?.copyTarget !== undefined)
    references['light_copy'] = reference(media.copyTarget, { isLightCopy: true });
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
    active_media_reference_key: key,
  };
}

const without = (object: JsonObject, key: string): JsonObject =>
  Object.fromEntries(Object.entries(object).filter(([each]) => each !== key));

function ownMetadata({ framing, fades, keepsPitch }: Clip): JsonObject {
  const own = {
    ...(framing ? { framing } : {}),
    ...(fades ? { fades: { ...fades } } : {}),
    ...(keepsPitch ? { pitch: 'kept' } : {}),
  };
  return Object.keys(own).length ? { hone: own } : {};
}

const keyframesOf = (keyframes: NonNullable<Effect['keyframes']>): JsonObject =>
  Object.fromEntries(Object.entries(keyframes).map(([key, row]) => [key, row.map((each) => ({ ...each }))]));

/** An effect with what Hone knows of it, for a Hone that reads it again. */
const effectOf = ({ kind, enabled, values, keyframes }: Effect): JsonObject => ({
  OTIO_SCHEMA: 'Effect.1',
  metadata: { hone: { kind, values, ...(keyframes ? { keyframes: keyframesOf(keyframes) } : {}) } },
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

/** Something that takes its time on a track. */
interface Span {
  readonly start: number;
  readonly end: number;
  readonly item: Item;
}

function itemsOf(track: Track, nests: readonly UnchangedNestedStack[]): Item[] {
  const within = nests.filter(({ tracks }) => tracks.has(track));
  const spans = [
    ...track.clips
      .filter(({ start }) => !within.some(({ from, to }) => start >= from && start < to))
      .map((clip): Span => ({ start: clip.start, end: clipEnd(clip), item: { kind: 'clip', clip } })),
    ...within
      .filter(({ base }) => base === track)
      .map(({ from, to, item: each }): Span => ({
        start: from,
        end: to,
        item: { kind: 'foreign', item: each },
      })),
  ].sort((a, b) => a.start - b.start);
  const foreign = (track.foreign?.items ?? []).filter(
    ({ frame, nest }) => !nest && !within.some(({ from, to }) => frame >= from && frame < to),
  );
  const at = new Map((track.transitions ?? []).map((each) => [each.at, each]));
  const items: Item[] = [];
  let last = 0;
  for (const { start, end, item: each } of spans) {
    if (start > last) items.push(...emptyItems(foreign, last, start));
    else items.push(...standing(foreign, last).map((one) => ({ kind: 'foreign' as const, item: one.item })));
    const into = at.get(start);
    if (into) items.push({ kind: 'transition', transition: into });
    items.push(each);
    last = end;
  }
  const end = Math.max(last, ...foreign.map(({ frame, length }) => frame + length));
  return [...items, ...emptyItems(foreign, last, end)];
}

/** Things without a length that another program put at a frame. */
const standing = (foreign: readonly ForeignItem[], at: number): readonly ForeignItem[] =>
  foreign.filter(({ frame, length }) => frame === at && length === 0);

/** Empty frames, and what other programs had put there as far as it still fits. */
function emptyItems(foreign: readonly ForeignItem[], from: number, to: number): Item[] {
  const items: Item[] = [];
  let end = from;
  for (const { frame, length, item: each } of foreign) {
    if (frame < end || frame + length > to) continue;
    if (frame > end) items.push({ kind: 'gap', frames: frame - end });
    items.push({ kind: 'foreign', item: each });
    end = frame + length;
  }
  if (to > end) items.push({ kind: 'gap', frames: to - end });
  return items;
}
