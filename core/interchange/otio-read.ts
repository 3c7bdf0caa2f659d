import { add, multiply, rational, round, subtract, ZERO, type Rational } from '../time/index.js';
import type { Foreign, ForeignItem, TrackKind } from '../timeline/index.js';
import type { ImportedClip, ImportedTimeline, ImportedTrack, ImportedTransition } from './imported.js';
import { JsonReader } from './json-reader.js';
import {
  disableClips,
  emptyTrackItems,
  flatten,
  markClips,
  shift,
  trim,
  type TrackItems,
} from './track-items.js';
import { clipOf, transitionOf } from './otio-clip.js';
import { colourOf } from './otio-own.js';
import {
  foreignOf,
  isSmall,
  lengthOf,
  MOST_SECONDS,
  Notes,
  rangeOf,
  rateOf,
  schemaOf,
  seconds,
  sizeOf,
  timeOf,
} from './otio-values.js';

/** Nested deeper than this, a file is taken to be damaged. */
const DEEPEST = 40;
const MOST_ITEMS = 200_000;
const MOST_KEPT_ITEMS = 1000;

/**
 * Reads an OpenTimelineIO file: `Timeline.1` with tracks of clips, gaps, transitions, speed changes, markers and nested
 * stacks, by OpenTimelineIO's published schema. `Clip.1` and `Clip.2` are both known.
 * @throws InterchangeError that names the place when the file is damaged or is no timeline
 */
export function readOtio(text: string): ImportedTimeline {
  return new OtioFile().read(JsonReader.parse(text));
}

type PlacedMarker = ImportedTimeline['markers'][number];

class OtioFile {
  private readonly notes = new Notes();
  private nests = 0;
  private items = 0;

  read(file: JsonReader): ImportedTimeline {
    const kind = schemaOf(file);
    if (kind !== 'Timeline')
      file.fail(`a timeline was expected, but there is ${kind || 'something without a schema'}.`);
    const stack = file.at('tracks');
    const rate = this.rateOf(file, stack);
    const start = file.at('global_start_time');
    const startFrame = start.isMissing ? 0 : Math.max(0, this.frames(timeOf(start), rate, start));
    const window = stack.at('source_range');
    const tracks = stack
      .at('children')
      .list()
      .flatMap((track) => this.track(track, rate, window));
    const markers = this.placedMarkers(this.markersOf(stack), rate, stack);
    const inTracks = tracks.flatMap(({ markers: own }) => own);
    const metadata = file.at('metadata');
    const own = metadata.isMissing || metadata.at('hone').isMissing ? null : metadata.at('hone');
    const size = own && sizeOf(own.at('size'));
    const counting =
      own && !own.at('dropFrame').isMissing ? { dropFrame: own.at('dropFrame').flag(true) } : {};
    return {
      name: file.at('name').text('Timeline') || 'Timeline',
      rate,
      startFrame,
      ...counting,
      size,
      tracks: tracks.map(({ track }) => track),
      markers: [...markers, ...inTracks].sort((a, b) => a.frame - b.frame),
      notes: this.notes.all,
      ...foreignOf(file, this.stackOf(stack)),
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

  private stackOf(stack: JsonReader): Foreign {
    const effects = stack
      .at('effects')
      .list()
      .map(({ value }) => value!);
    if (effects.length)
      this.notes.at(stack, 'effects of the whole timeline are kept for other programs and not shown');
    const name = stack.at('name').text('');
    const { foreign } = foreignOf(stack, {
      ...(effects.length ? { effects } : {}),
      ...(name && name !== 'tracks' ? { fields: { name } } : {}),
    });
    return foreign ? { stack: foreign } : {};
  }

  private track(
    reader: JsonReader,
    rate: Rational,
    window: JsonReader,
  ): { track: ImportedTrack; markers: PlacedMarker[] }[] {
    const schema = schemaOf(reader);
    if (schema !== 'Track' && schema !== 'Stack') {
      this.notes.at(reader, `"${schema}" is not known and was left out`);
      return [];
    }
    const kind = kindOf(reader);
    const name = reader.at('name').text('') || (kind === 'sound' ? 'Sound' : 'Picture');
    // A stack may stand where a track is expected: it is the only thing on its track then.
    const whole = schema === 'Track' ? this.line(reader, 0) : this.alone(reader);
    const trackItems = window.isMissing ? whole : trim(whole, rangeOf(window));
    const all = [trackItems, ...flatten(trackItems.above)];
    return all.map((part, index) => ({
      track: {
        kind: (index ? part.kind : null) ?? kind,
        name: index ? `${name}, nested ${index}` : name,
        enabled: reader.at('enabled').flag(true),
        ...this.placed(part, rate, reader),
        ...this.foreignOnTrack(part, rate, reader, index === 0),
      },
      markers: this.placedMarkers(part.markers, rate, reader),
    }));
  }

  private alone(stack: JsonReader): TrackItems {
    const trackItems = emptyTrackItems();
    this.nested(stack, trackItems, 'Stack', 0);
    return trackItems;
  }

  private placedMarkers(markers: TrackItems['markers'], rate: Rational, reader: JsonReader): PlacedMarker[] {
    return markers.map(({ at, ...each }) => ({ frame: Math.max(0, this.frames(at, rate, reader)), ...each }));
  }

  private placed(
    trackItems: TrackItems,
    rate: Rational,
    reader: JsonReader,
  ): Pick<ImportedTrack, 'clips' | 'transitions'> {
    const clips = trackItems.clips.flatMap(({ at, length, clip }): ImportedClip[] => {
      const start = this.frames(at, rate, reader);
      const frames = this.frames(add(at, length), rate, reader) - start;
      if (frames < 1) this.notes.at(reader, `"${clip.name}" is shorter than a frame and was left out`);
      return frames < 1 ? [] : [{ ...clip, start, length: frames }];
    });
    const transitions = trackItems.transitions.map(({ at, before, after, ...each }): ImportedTransition => {
      const cut = this.frames(at, rate, reader);
      const from = this.frames(subtract(at, before), rate, reader);
      return { ...each, at: cut, before: cut - from, after: this.frames(add(at, after), rate, reader) - cut };
    });
    return { clips, transitions };
  }

  /** Lays the children of a track one behind the other. */
  private line(track: JsonReader, depth: number): TrackItems {
    if (depth > DEEPEST) track.fail('it is nested too deeply.');
    const trackItems = emptyTrackItems(kindOf(track));
    trackItems.markers.push(...this.markersOf(track));
    for (const item of track.at('children').list()) {
      if (++this.items > MOST_ITEMS) item.fail('the timeline has too many items.');
      this.item(item, trackItems, depth);
    }
    const range = track.at('source_range');
    return range.isMissing ? trackItems : trim(trackItems, rangeOf(range));
  }

  private item(item: JsonReader, trackItems: TrackItems, depth: number): void {
    const schema = schemaOf(item);
    switch (schema) {
      case 'Gap':
        this.gap(item, trackItems);
        return;
      case 'Clip':
        this.clip(item, trackItems);
        return;
      case 'Transition':
        trackItems.transitions.push({
          ...transitionOf(item, this.notes),
          ...colourOf(item),
          at: trackItems.length,
          before: timeOf(item.at('in_offset')),
          after: timeOf(item.at('out_offset')),
        });
        return;
      case 'Stack':
      case 'Track':
        this.nested(item, trackItems, schema, depth);
        return;
      default: {
        this.notes.at(
          item,
          `"${schema}" is not known; it is kept for other programs, and its time was left empty`,
        );
        const length = item.at('source_range').isMissing ? ZERO : lengthOf(item);
        trackItems.items.push({ at: trackItems.length, length, item: item.value });
        trackItems.length = add(trackItems.length, length);
      }
    }
  }

  private gap(item: JsonReader, trackItems: TrackItems): void {
    const { start, length } = rangeOf(item.at('source_range'));
    this.keepMarkers(item, trackItems, start);
    // One that another program said something of is kept as a thing of its own.
    if (foreignOf(item).foreign || item.at('effects').list().length || item.at('name').text(''))
      trackItems.items.push({ at: trackItems.length, length, item: { ...item.object(), markers: [] } });
    trackItems.length = add(trackItems.length, length);
  }

  private clip(item: JsonReader, trackItems: TrackItems): void {
    const { clip, range } = clipOf(item, this.notes);
    trackItems.clips.push({ at: trackItems.length, length: range.length, clip });
    this.keepMarkers(item, trackItems, range.start);
    trackItems.length = add(trackItems.length, range.length);
  }

  private keepMarkers(item: JsonReader, trackItems: TrackItems, start: Rational): void {
    const offset = subtract(trackItems.length, start);
    trackItems.markers.push(...this.markersOf(item).map((each) => ({ ...each, at: add(each.at, offset) })));
  }

  private foreignOnTrack(
    { items }: TrackItems,
    rate: Rational,
    reader: JsonReader,
    isOwn: boolean,
  ): { foreign?: Foreign } {
    const effects = reader
      .at('effects')
      .list()
      .map(({ value }) => value!);
    const own = schemaOf(reader) === 'Track' ? foreignOf(reader, effects.length ? { effects } : {}) : {};
    const foreign: Foreign | undefined = isOwn ? own.foreign : { isNested: true };
    if (isOwn && effects.length && foreign)
      this.notes.at(reader, 'effects of a whole track are kept for other programs and not shown');
    const kept = items.map(({ at, length, item, nest }): ForeignItem => {
      const frame = this.frames(at, rate, reader);
      return {
        frame,
        length: this.frames(add(at, length), rate, reader) - frame,
        item,
        ...(nest === undefined ? {} : { nest: { id: nest, lead: 0, print: '' } }),
      };
    });
    const whole = kept.length ? { ...foreign, items: kept.slice(0, MOST_KEPT_ITEMS) } : foreign;
    if (!whole) return {};
    if (isSmall(whole)) return { foreign: whole };
    return foreign ? { foreign } : {};
  }

  private nested(item: JsonReader, trackItems: TrackItems, schema: string, depth: number): void {
    if (depth > DEEPEST) item.fail('it is nested too deeply.');
    this.notes.add(
      'Nested stacks were laid flat; those that stay as they are will be written back as they were.',
    );
    if (item.at('effects').list().length)
      this.notes.at(item, 'effects of a nested stack are kept for other programs and not shown');
    const said = schema === 'Track' ? [this.line(item, depth + 1)] : this.innerOf(item, depth + 1);
    const range = item.at('source_range');
    const cut = schema === 'Track' || range.isMissing ? said : said.map((line) => trim(line, rangeOf(range)));
    const parts = item.at('enabled').flag(true) ? cut : cut.map(disableClips);
    const longest = parts.reduce(
      (most, { length }) => (seconds(length) > seconds(most) ? length : most),
      ZERO,
    );
    const length = range.isMissing ? longest : rangeOf(range).length;
    const nest = depth === 0 ? `nest-${++this.nests}` : undefined;
    const placed = parts.map((part) =>
      shift(nest === undefined ? part : markClips(part, { nest }), trackItems.length),
    );
    // The lowest of the track's own kind goes on its line.
    const other = trackItems.kind === 'sound' ? 'picture' : 'sound';
    const first = placed.findIndex(({ kind }) => kind !== other);
    const lowest = first < 0 ? undefined : placed.splice(first, 1)[0];
    if (lowest) {
      trackItems.clips.push(...lowest.clips);
      trackItems.transitions.push(...lowest.transitions);
      trackItems.items.push(...lowest.items);
      trackItems.markers.push(...lowest.markers);
      trackItems.above.push(...lowest.above);
    }
    trackItems.above.push(...placed);
    const offset = subtract(trackItems.length, range.isMissing ? ZERO : rangeOf(range).start);
    if (schema === 'Stack')
      trackItems.markers.push(...this.markersOf(item).map((each) => ({ ...each, at: add(each.at, offset) })));
    if (nest !== undefined) trackItems.items.push({ at: trackItems.length, length, item: item.value, nest });
    trackItems.length = add(trackItems.length, length);
  }

  private innerOf(stack: JsonReader, depth: number): TrackItems[] {
    return stack
      .at('children')
      .list()
      .map((child) => this.inner(child, depth));
  }

  private inner(child: JsonReader, depth: number): TrackItems {
    if (schemaOf(child) === 'Track') {
      const line = this.line(child, depth);
      return child.at('enabled').flag(true) ? line : disableClips(line);
    }
    const trackItems = emptyTrackItems();
    this.item(child, trackItems, depth);
    return trackItems;
  }

  private markersOf(item: JsonReader): TrackItems['markers'] {
    return item
      .at('markers')
      .list()
      .map((marker) => {
        const { start, length } = rangeOf(marker.at('marked_range'));
        const fields = { marked_range: marker.at('marked_range').object() };
        return {
          at: start,
          name: marker.at('name').text('').slice(0, 500),
          note: marker.at('comment').text('').slice(0, 5000),
          ...foreignOf(marker, length.num ? { fields } : {}),
        };
      });
  }

  private frames(time: Rational, rate: Rational, reader: JsonReader): number {
    if (Math.abs(seconds(time)) > MOST_SECONDS) reader.fail('it is longer than any timeline.');
    return round(multiply(time, rate));
  }
}

const kindOf = (track: JsonReader): TrackKind =>
  track.at('kind').text('Video').toLowerCase() === 'audio' ? 'sound' : 'picture';
