import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { rational } from '../time/index.js';
import {
  timelineFaults,
  timelineSchema,
  type Clip,
  type Effect,
  type Timeline,
  type Transition,
} from '../timeline/index.js';
import { InterchangeError, readOtio, relink, writeOtio } from './index.js';
import { clip, counter, file, MEDIA, mediaOf, range, SIZE } from './testing-media.js';

/** What a timeline is, without the identifiers. */
const bare = ({ tracks, markers, ...rest }: Timeline): unknown => ({
  ...rest,
  markers: (markers ?? []).map(({ frame, name, note }) => ({ frame, name, note })),
  tracks: tracks.map(({ kind, name, enabled, clips, transitions }) => ({
    kind,
    name,
    enabled,
    clips: clips.map(({ effects, ...clip }) => ({
      ...clip,
      id: '',
      ...(effects ? { effects: effects.map((effect) => ({ ...effect, id: '' })) } : {}),
    })),
    transitions: (transitions ?? []).map((each) => ({ ...each, id: '' })),
  })),
});
const again = (timeline: Timeline): Timeline =>
  relink(readOtio(writeOtio('Slack Water', timeline, mediaOf)), MEDIA, SIZE, counter());

const RATES = [
  rational(24_000, 1001),
  rational(24),
  rational(25),
  rational(30_000, 1001),
  rational(50),
  rational(60_000, 1001),
];

const anEffect = fc
  .record({
    kind: fc.constantFrom('blur', 'mask', 'title', 'table'),
    enabled: fc.boolean(),
    share: fc.integer({ min: 1, max: 20 }),
    keyed: fc.boolean(),
  })
  .map(({ kind, enabled, share, keyed }): Effect => {
    const values = { blur: { radius: share }, title: { text: `Weir ${share}` }, mask: { feather: share } };
    const row = [{ frame: -share, value: share, ease: 'smooth' as const }];
    return {
      id: `e${share}`,
      kind,
      enabled,
      values: kind === 'table' ? {} : values[kind as 'blur'],
      ...(keyed && kind === 'mask' ? { keyframes: { opacity: row } } : {}),
    };
  });

const aTimeline = fc
  .record({
    rate: fc.constantFrom(...RATES),
    startFrame: fc.nat(90_000),
    tracks: fc.array(
      fc.record({
        kind: fc.constantFrom('picture' as const, 'sound' as const),
        enabled: fc.boolean(),
        clips: fc.array(
          fc.record({
            gap: fc.nat(30),
            length: fc.integer({ min: 1, max: 90 }),
            source: fc.constantFrom('weir', 'wheel', 'gulls'),
            from: fc.nat(2000),
            enabled: fc.boolean(),
            speed: fc.constantFrom(rational(1), rational(2), rational(1, 2), rational(-1), rational(5, 4)),
            joins: fc.boolean(),
            fills: fc.boolean(),
            effects: fc.array(anEffect, { maxLength: 2 }),
          }),
          { maxLength: 8 },
        ),
      }),
      { minLength: 1, maxLength: 5 },
    ),
    marks: fc.uniqueArray(fc.nat(500), { maxLength: 3 }),
  })
  .map(({ rate, startFrame, tracks, marks }): Timeline => ({
    rate,
    startFrame,
    size: SIZE,
    tracks: tracks.map(({ kind, enabled, clips }, index) => {
      let end = 0;
      const transitions: Transition[] = [];
      const made = clips.map(
        ({ gap, length, source, from, speed, joins, fills, effects, enabled: on }, at): Clip => {
          const start = end + (joins ? 0 : gap);
          if (joins && at > 0 && clips[at - 1]!.length > 8 && length > 8)
            transitions.push({
              ...{ id: `t${index}-${at}`, at: start, before: 3, after: 4 },
              ...(on ? { kind: 'dip' as const, colour: '#3a6f2e' } : { kind: 'wipe' as const }),
            });
          end = start + length;
          return {
            id: `c${index}-${at}`,
            name: `${source} ${at}`,
            sourceId: source,
            start,
            length,
            sourceIn: rational(from * rate.den, rate.num),
            enabled: on,
            ...(speed.num === speed.den ? {} : { speed }),
            ...(effects.length ? { effects } : {}),
            ...(fills ? { framing: 'fill' as const } : {}),
            ...(speed.num !== speed.den && on ? { keepsPitch: true } : {}),
          };
        },
      );
      return { id: `t${index}`, kind, name: `Track ${index}`, enabled, clips: made, transitions };
    }),
    markers: marks
      .sort((a, b) => a - b)
      .map((frame) => ({ id: `m${frame}`, frame, name: `at ${frame}`, note: 'gulls' })),
  }));

describe('OpenTimelineIO', () => {
  it('gives back the timeline that was written, whatever it is', () => {
    fc.assert(
      fc.property(aTimeline, (timeline) => {
        expect(timelineFaults(timeline)).toEqual([]);
        const result = again(timeline);
        expect(bare(result)).toEqual(bare(timeline));
        expect(timelineSchema.isValidSync(result, { strict: true })).toBe(true);
      }),
      { numRuns: 300 },
    );
  });

  it('is written by the published schema: versions, ranges and references of every kind', () => {
    const wheel: Clip = {
      id: 'c',
      name: 'The wheel',
      sourceId: 'wheel',
      start: 12,
      length: 24,
      sourceIn: rational(2),
      enabled: true,
      speed: rational(2),
    };
    const track = { id: 't', kind: 'picture' as const, name: 'V', enabled: true, clips: [wheel] };
    const written = JSON.parse(
      writeOtio('Cut', { rate: rational(24), startFrame: 86_400, size: SIZE, tracks: [track] }, (id) => ({
        ...mediaOf(id)!,
        copyTarget: 'file:///copies/wheel.mp4',
      })),
    ) as Record<string, never>;
    expect(written).toMatchObject({
      OTIO_SCHEMA: 'Timeline.1',
      name: 'Cut',
      global_start_time: { OTIO_SCHEMA: 'RationalTime.1', value: 86_400, rate: 24 },
      tracks: {
        OTIO_SCHEMA: 'Stack.1',
        children: [
          {
            OTIO_SCHEMA: 'Track.1',
            kind: 'Video',
            children: [
              { OTIO_SCHEMA: 'Gap.1', source_range: { duration: { value: 12, rate: 24 } } },
              {
                OTIO_SCHEMA: 'Clip.2',
                name: 'The wheel',
                // An hour of timecode and two seconds.
                source_range: { start_time: { value: 86_448, rate: 24 }, duration: { value: 24, rate: 24 } },
                effects: [{ OTIO_SCHEMA: 'LinearTimeWarp.1', time_scalar: 2 }],
                active_media_reference_key: 'DEFAULT_MEDIA',
                media_references: {
                  DEFAULT_MEDIA: {
                    OTIO_SCHEMA: 'ExternalReference.1',
                    target_url: 'file:///footage/day%201/wheel.mp4',
                    available_range: {
                      start_time: { value: 90_000, rate: 25 },
                      duration: { value: 15_000, rate: 25 },
                    },
                  },
                  light_copy: { target_url: 'file:///copies/wheel.mp4' },
                },
              },
            ],
          },
        ],
      },
    });
  });

  const said = (text: string): string[] =>
    readOtio(text).tracks.flatMap(({ name, clips }) =>
      clips.map(
        (each) =>
          `${name}: ${each.name} ${each.start}+${each.length}@${(24 * each.sourceIn.num) / each.sourceIn.den}`,
      ),
    );

  it('of the first version of clips is read', () => {
    expect(
      said(
        file(clip('weir', 48, 24), { OTIO_SCHEMA: 'Gap.1', source_range: range(0, 10) }, clip('gulls', 0, 5)),
      ),
    ).toEqual(['V1: weir 0+24@48', 'V1: gulls 34+5@0']);
  });

  it('lays nested stacks flat, trimmed to what is seen of them, and says so', () => {
    const inner = {
      OTIO_SCHEMA: 'Stack.1',
      source_range: range(10, 20),
      children: [
        { OTIO_SCHEMA: 'Track.1', kind: 'Video', children: [clip('weir', 0, 15), clip('wheel', 100, 50)] },
        { OTIO_SCHEMA: 'Track.1', kind: 'Video', children: [clip('gulls', 7, 12)] },
      ],
    };
    const text = file(clip('gulls', 0, 24), inner, clip('weir', 0, 4));
    expect(said(text)).toEqual([
      'V1: gulls 0+24@0',
      'V1: weir 24+5@10',
      'V1: wheel 29+15@100',
      'V1: weir 44+4@0',
      'V1, nested 1: gulls 24+2@17',
    ]);
    expect(readOtio(text).notes).toEqual([expect.stringMatching(/^Nested stacks were laid flat/)]);
  });

  it('names what it does not know and leaves its time empty', () => {
    const text = file(
      clip('weir', 0, 10),
      { OTIO_SCHEMA: 'Weather.7', source_range: range(0, 6) },
      clip('gulls', 0, 3),
    );
    expect(said(text)).toEqual(['V1: weir 0+10@0', 'V1: gulls 16+3@0']);
    expect(readOtio(text).notes[0]).toMatch(/"Weather" is not known.*children 2/);
  });

  it('takes damaged effects of its own for those of another program', () => {
    const broken = {
      OTIO_SCHEMA: 'Effect.1',
      effect_name: 'Gaussian blur',
      metadata: { hone: { kind: 'blur', values: { radius: 9000 } } },
    };
    const read = readOtio(file(clip('weir', 0, 10, { effects: [broken] })));
    expect(read.tracks[0]!.clips[0]!.effects).toBeUndefined();
    expect(read.tracks[0]!.clips[0]!.foreign!.effects).toEqual([broken]);
    expect(read.notes.join()).toMatch(/effect "Gaussian blur"/i);
  });

  it('says what is in a medium, so that it can be found under another name', () => {
    const content = { sha256: 'c'.repeat(64), bytes: 4711 };
    const timeline = relink(readOtio(file(clip('weir', 0, 10))), MEDIA, SIZE, counter());
    const text = writeOtio('Back', timeline, (id) => ({ ...mediaOf(id)!, content }));
    expect(readOtio(text).tracks[0]!.clips[0]!.media.content).toEqual(content);
    expect(readOtio(text.replace('4711', '-3')).tracks[0]!.clips[0]!.media.content).toBeUndefined();
  });

  it('takes speeds, markers and clips that are off', () => {
    const warp = { OTIO_SCHEMA: 'LinearTimeWarp.1', time_scalar: -0.5 };
    const marker = { OTIO_SCHEMA: 'Marker.2', name: 'splash', comment: 'loud', marked_range: range(52, 0) };
    const [track] = readOtio(
      file(clip('weir', 48, 24, { effects: [warp], enabled: false, markers: [marker] })),
    ).tracks;
    expect(track!.clips[0]).toMatchObject({ speed: { num: -1, den: 2 }, enabled: false });
    expect(readOtio(file(clip('weir', 48, 24, { markers: [marker] }))).markers).toEqual([
      { frame: 4, name: 'splash', note: 'loud' },
    ]);
  });

  it.each([
    ['not JSON', '{"OTIO', /the file: it is not JSON/],
    ['no timeline', '{"OTIO_SCHEMA":"Clip.2"}', /a timeline was expected, but there is Clip/],
    ['a list', '[]', /an object was expected, but there is a list/],
    ['a length below zero', file(clip('weir', 0, -4)), /children 1 › source_range: its length is below zero/],
    ['an enormous number', file(clip('weir', 0, 1e300)), /longer than any timeline/],
    ['a rate of zero', file(clip('weir', 0, 10, { source_range: range(0, 10, 0) })), /rate: 0 is not a rate/],
    ['a wrong type', file(clip('weir', 0, 10, { effects: 'none' })), /effects: a list was expected/],
    ['no length at all', file({ OTIO_SCHEMA: 'Clip.2', name: 'x' }), /neither a range nor a medium/],
  ])('refuses %s with the place', (_what, text, message) => {
    expect(() => readOtio(text)).toThrow(InterchangeError);
    expect(() => readOtio(text)).toThrow(message);
  });

  it('refuses what is nested without end', () => {
    let inner: object = clip('weir', 0, 4);
    for (let depth = 0; depth < 200; depth++) inner = { OTIO_SCHEMA: 'Stack.1', children: [inner] };
    expect(() => readOtio(file(inner))).toThrow(/nested too deeply/);
  });

  it('neither crashes nor hangs, whatever comes', () => {
    fc.assert(
      fc.property(fc.json(), (text) => {
        expect(() => readOtio(text)).toThrow(InterchangeError);
      }),
      { numRuns: 300 },
    );
    // A file that is right but for one value, which may be anything.
    const paths = ['source_range', 'media_reference', 'effects', 'markers', 'name', 'enabled', 'metadata'];
    fc.assert(
      fc.property(fc.constantFrom(...paths), fc.jsonValue(), (path, value) => {
        try {
          const result = relink(
            readOtio(file(clip('weir', 0, 10, { [path]: value }))),
            MEDIA,
            SIZE,
            counter(),
          );
          expect(timelineFaults(result)).toEqual([]);
        } catch (error) {
          expect(error).toBeInstanceOf(InterchangeError);
        }
      }),
      { numRuns: 300 },
    );
  });
});
