import { add, multiply, rational, round, subtract, ZERO, type Rational } from '../time/index.js';
import type { Foreign, ForeignItem, TrackKind, TransitionKind } from '../timeline/index.js';
import type {
  ImportedClip,
  ImportedTimeline,
  ImportedTrack,
  ImportedTransition,
  Json,
  MediaReference,
} from './imported.js';
import { JsonReader } from './json-reader.js';
import { flattened, nothing, shifted, trimmed, type Laid } from './laid.js';
import {
  decoded,
  foreignOf,
  isSmall,
  lengthOf,
  MOST_SECONDS,
  rangeOf,
  rateOf,
  schemaOf,
  seconds,
  sizeOf,
  timeOf,
} from './otio-values.js';
import { colourOf, contentOf, ownEffect, ownPart } from './otio-own.js';
import { simplest } from './rates.js';

/** Nested deeper than this, a file is taken to be damaged. */
const DEEPEST = 40;
const MOST_ITEMS = 200_000;
const NORMAL = rational(1);
const RETIMING = ['LinearTimeWarp', 'FreezeFrame'];
const MOST_KEPT_ITEMS = 1000;

/**
 * Reads an OpenTimelineIO file: `Timeline.1` with tracks of clips, gaps, transitions, speed changes, markers and nested
 * stacks, by OpenTimelineIO's published schema. `Clip.1` and `Clip.2` are both known.
 * @throws InterchangeError that names the place when the file is damaged or is no timeline
 */
export function readOtio(text: string): ImportedTimeline {
  return new OtioFile().read(JsonReader.parse(text));
}

class OtioFile {
  private readonly notes = new Set<string>();
  private items = 0;

  read(file: JsonReader): ImportedTimeline {
    const kind = schemaOf(file);
    if (kind !== 'Timeline')
      file.fail(`a timeline was expected, but there is ${kind || 'something without a schema'}.`);
    const stack = file.at('tracks');
    const rate = this.rateOf(file, stack);
    const start = file.at('global_start_time');
    const startFrame = start.isMissing ? 0 : Math.max(0, this.frames(timeOf(start), rate, start));
    const tracks = stack
      .at('children')
      .list()
      .flatMap((track) => this.track(track, rate));
    const markers = this.markersOf(stack).map(({ at, name, note }) => ({
      frame: this.frames(at, rate, stack),
      name,
      note,
    }));
    const inTracks = tracks.flatMap(({ markers: own }) => own);
    const hone = file.at('metadata');
    const size = hone.isMissing || hone.at('hone').isMissing ? null : sizeOf(hone.at('hone').at('size'));
    return {
      name: file.at('name').text('Timeline') || 'Timeline',
      rate,
      startFrame,
      size,
      tracks: tracks.map(({ track }) => track),
      markers: [...markers, ...inTracks].sort((a, b) => a.frame - b.frame),
      notes: [...this.notes],
      ...foreignOf(file),
    };
  }

  // The rate that the file counts in: its start, else the first length that it gives.
  private rateOf(file: JsonReader, stack: JsonReader): Rational {
    const start = file.at('global_start_time');
    if (!start.isMissing) return rateOf(start);
    const pending = stack.at('children').list();
    for (let looked = 0; pending.length && looked < MOST_ITEMS; looked++) {
      const item = pending.shift()!;
      const range = item.at('source_range');
      if (!range.isMissing) return rateOf(range.at('duration'));
      pending.push(...item.at('children').list());
    }
    return rational(24);
  }

  private track(
    reader: JsonReader,
    rate: Rational,
  ): { track: ImportedTrack; markers: { frame: number; name: string; note: string }[] }[] {
    const schema = schemaOf(reader);
    if (schema !== 'Track') {
      // A stack may stand where a track is expected: its tracks stand here then.
      if (schema === 'Stack')
        return reader
          .at('children')
          .list()
          .flatMap((each) => this.track(each, rate));
      this.note(reader, `"${schema}" is not known and was left out`);
      return [];
    }
    const kind: TrackKind = reader.at('kind').text('Video').toLowerCase() === 'audio' ? 'sound' : 'picture';
    const name = reader.at('name').text('') || (kind === 'sound' ? 'Sound' : 'Picture');
    const laid = this.line(reader, 0);
    const all = [laid, ...flattened(laid.above)];
    return all.map((part, index) => ({
      track: {
        kind,
        name: index ? `${name}, nested ${index}` : name,
        enabled: reader.at('enabled').flag(true),
        ...this.placed(part, rate, reader),
        ...this.foreignOnTrack(part, rate, reader, index === 0),
      },
      markers: part.markers.map(({ at, ...each }) => ({ frame: this.frames(at, rate, reader), ...each })),
    }));
  }

  private placed(
    laid: Laid,
    rate: Rational,
    reader: JsonReader,
  ): Pick<ImportedTrack, 'clips' | 'transitions'> {
    const clips = laid.clips.flatMap(({ at, length, clip }): ImportedClip[] => {
      const start = this.frames(at, rate, reader);
      const frames = this.frames(add(at, length), rate, reader) - start;
      if (frames < 1) this.note(reader, `"${clip.name}" is shorter than a frame and was left out`);
      return frames < 1 ? [] : [{ ...clip, start, length: frames }];
    });
    const transitions = laid.transitions.map(({ at, before, after, ...each }): ImportedTransition => {
      const cut = this.frames(at, rate, reader);
      const from = this.frames(subtract(at, before), rate, reader);
      return { ...each, at: cut, before: cut - from, after: this.frames(add(at, after), rate, reader) - cut };
    });
    return { clips, transitions };
  }

  /** Lays the children of a track one behind the other. */
  private line(track: JsonReader, depth: number): Laid {
    if (depth > DEEPEST) track.fail('it is nested too deeply.');
    const laid = nothing();
    laid.markers.push(...this.markersOf(track));
    for (const item of track.at('children').list()) {
      if (++this.items > MOST_ITEMS) item.fail('the timeline has too many items.');
      this.item(item, laid, depth);
    }
    const range = track.at('source_range');
    return range.isMissing ? laid : trimmed(laid, rangeOf(range));
  }

  private item(item: JsonReader, laid: Laid, depth: number): void {
    const schema = schemaOf(item);
    switch (schema) {
      case 'Gap':
        laid.length = add(laid.length, lengthOf(item));
        return;
      case 'Clip':
        this.clip(item, laid);
        return;
      case 'Transition':
        laid.transitions.push({
          kind: this.transitionKind(item),
          ...colourOf(item),
          at: laid.length,
          before: timeOf(item.at('in_offset')),
          after: timeOf(item.at('out_offset')),
        });
        return;
      case 'Stack':
      case 'Track':
        this.nested(item, laid, schema, depth);
        return;
      default: {
        this.note(
          item,
          `"${schema}" is not known; it is kept for other programs, and its time was left empty`,
        );
        const length = item.at('source_range').isMissing ? ZERO : lengthOf(item);
        laid.items.push({ at: laid.length, length, item: item.value });
        laid.length = add(laid.length, length);
      }
    }
  }

  private clip(item: JsonReader, laid: Laid): void {
    const media = this.mediaOf(item);
    const range = item.at('source_range');
    if (range.isMissing && media.lengthSeconds === null)
      item.fail('it has neither a range nor a medium of known length.');
    const { start, length } = range.isMissing
      ? { start: media.startSeconds ?? ZERO, length: media.lengthSeconds! }
      : rangeOf(range);
    const name = item.at('name').text('') || media.name || 'Clip';
    const sourceIn = subtract(start, media.startSeconds ?? ZERO);
    if (sourceIn.num < 0) this.note(item, `"${name}" began before its medium; it begins with it now`);
    const clip = {
      name: name.slice(0, 500),
      sourceIn: sourceIn.num < 0 ? ZERO : sourceIn,
      speed: this.speedOf(item, name),
      enabled: item.at('enabled').flag(true),
      media: media.name ? media : { ...media, name },
      ...ownPart(item),
      ...foreignOf(item, this.unknownEffects(item)),
    };
    laid.clips.push({ at: laid.length, length, clip });
    const shift = subtract(laid.length, start);
    laid.markers.push(...this.markersOf(item).map((each) => ({ ...each, at: add(each.at, shift) })));
    laid.length = add(laid.length, length);
  }

  /** `Clip.2` names several media and which is in use; `Clip.1` has one. */
  private mediaOf(item: JsonReader): MediaReference {
    const several = item.at('media_references');
    const key = item.at('active_media_reference_key').text('DEFAULT_MEDIA');
    const media = several.isMissing ? item.at('media_reference') : several.at(key);
    if (media.isMissing) return { name: '', target: '', startSeconds: null, lengthSeconds: null };
    const schema = schemaOf(media);
    const range = media.at('available_range');
    const { start, length } = range.isMissing ? { start: null, length: null } : rangeOf(range);
    const target = schema === 'ExternalReference' ? media.at('target_url').text('') : '';
    if (schema === 'ImageSequenceReference')
      this.note(media, 'numbered still images are named only; add them by their first image');
    const base = decoded(target).split(/[\\/]/).at(-1) ?? '';
    const name = base || media.at('name').text('');
    return { name, target, startSeconds: start, lengthSeconds: length, ...contentOf(media) };
  }

  private foreignOnTrack(
    { items }: Laid,
    rate: Rational,
    reader: JsonReader,
    isOwn: boolean,
  ): { foreign?: Foreign } {
    const { foreign } = isOwn ? foreignOf(reader) : {};
    if (items.length === 0) return foreign ? { foreign } : {};
    const kept = items.map(({ at, length, item }): ForeignItem => {
      const frame = this.frames(at, rate, reader);
      return { frame, length: this.frames(add(at, length), rate, reader) - frame, item };
    });
    const whole = { ...foreign, items: kept.slice(0, MOST_KEPT_ITEMS) };
    return isSmall(whole) ? { foreign: whole } : foreign ? { foreign } : {};
  }

  private unknownEffects(item: JsonReader): Json[] {
    return item
      .at('effects')
      .list()
      .filter((effect) => !RETIMING.includes(schemaOf(effect)) && !ownEffect(effect))
      .map((effect) => effect.value!);
  }

  private speedOf(item: JsonReader, name: string): Rational {
    let speed = NORMAL;
    for (const effect of item.at('effects').list()) {
      const schema = schemaOf(effect);
      if (schema === 'LinearTimeWarp')
        speed = multiply(speed, simplest(effect.at('time_scalar').number(1), 1e-6));
      else if (schema === 'FreezeFrame')
        this.note(effect, `"${name}" stands still in the file; it moves here`);
      else if (!ownEffect(effect))
        this.note(
          effect,
          `effect "${effect.at('effect_name').text(schema)}" of "${name}" is not known here; it is kept for other programs and not shown`,
        );
    }
    const size = Math.abs(speed.num / speed.den);
    if (size >= 0.01 && size <= 10) return speed;
    this.note(item, `"${name}" has a speed outside 1 % to 1000 %; it plays at 100 %`);
    return NORMAL;
  }

  private transitionKind(item: JsonReader): TransitionKind {
    const type = item.at('transition_type').text('').toLowerCase();
    if (type.includes('wipe')) return 'wipe';
    if (type.includes('dip')) return 'dip';
    if (!type.includes('dissolve'))
      this.note(item, `transition "${type || 'without a type'}" became a crossfade`);
    return 'crossfade';
  }

  private nested(item: JsonReader, laid: Laid, schema: string, depth: number): void {
    if (depth > DEEPEST) item.fail('it is nested too deeply.');
    this.notes.add('Nested stacks were laid flat.');
    const lines =
      schema === 'Track'
        ? [this.line(item, depth + 1)]
        : item
            .at('children')
            .list()
            .map((child) => this.inner(child, depth + 1));
    const range = item.at('source_range');
    const parts = lines.map((line) =>
      schema === 'Track' || range.isMissing ? line : trimmed(line, rangeOf(range)),
    );
    const longest = parts.reduce(
      (most, { length }) => (seconds(length) > seconds(most) ? length : most),
      ZERO,
    );
    const length = range.isMissing ? longest : rangeOf(range).length;
    const [lowest, ...others] = parts.map((part) => shifted(part, laid.length));
    if (lowest) {
      laid.clips.push(...lowest.clips);
      laid.transitions.push(...lowest.transitions);
      laid.items.push(...lowest.items);
      laid.markers.push(...lowest.markers);
      laid.above.push(...lowest.above);
    }
    laid.above.push(...others);
    laid.length = add(laid.length, length);
  }

  private inner(child: JsonReader, depth: number): Laid {
    if (schemaOf(child) === 'Track') return this.line(child, depth);
    const laid = nothing();
    this.item(child, laid, depth);
    return laid;
  }

  private markersOf(item: JsonReader): Laid['markers'] {
    return item
      .at('markers')
      .list()
      .map((marker) => ({
        at: rangeOf(marker.at('marked_range')).start,
        name: marker.at('name').text('').slice(0, 500),
        note: marker.at('comment').text('').slice(0, 5000),
      }));
  }

  private frames(time: Rational, rate: Rational, reader: JsonReader): number {
    if (Math.abs(seconds(time)) > MOST_SECONDS) reader.fail('it is longer than any timeline.');
    return round(multiply(time, rate));
  }

  private note({ place }: JsonReader, what: string): void {
    const sentence = what.charAt(0).toUpperCase() + what.slice(1);
    if (this.notes.size < 200) this.notes.add(`${sentence} (${place}).`);
  }
}
