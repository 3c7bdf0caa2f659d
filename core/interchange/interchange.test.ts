import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { rational, ZERO, type Rational } from '../time/index.js';
import { timelineFaults, timelineSchema, type Clip, type Timeline } from '../timeline/index.js';
import {
  cmxLosses,
  InterchangeError,
  missingMedia,
  readCmx,
  readOtio,
  relinked,
  sourceFor,
  timecodeStart,
  writeCmx,
  writeOtio,
  type Relinkable,
  type WrittenMedia,
} from './index.js';
import { rationalOf, simplest } from './rates.js';

const counter = (): (() => string) => {
  let next = 0;
  return () => `n${next++}`;
};
const HOUR = rational(3600);
const SIZE = { width: 1920, height: 1080 };
const sources: readonly Relinkable[] = ['weir', 'wheel', 'gulls'].map((name, at) => ({
  id: name,
  name: `${name}.mp4`,
  path: `/footage/day 1/${name}.mp4`,
  lengthSeconds: rational(600),
  startSeconds: at === 1 ? HOUR : ZERO,
}));
const mediaOf = (id: string): WrittenMedia | undefined => {
  const source = sources.find((each) => each.id === id);
  return source && { ...source, target: `file://${encodeURI(source.path)}`, rate: rational(25) };
};

/** What a timeline is, without the identifiers. */
const bare = ({ tracks, markers, ...rest }: Timeline): unknown => ({
  ...rest,
  markers: (markers ?? []).map(({ frame, name, note }) => ({ frame, name, note })),
  tracks: tracks.map(({ kind, name, enabled, clips, transitions }) => ({
    kind,
    name,
    enabled,
    clips: clips.map((clip) => ({ ...clip, id: '' })),
    transitions: (transitions ?? []).map(({ kind: type, at, before, after }) => ({
      type,
      at,
      before,
      after,
    })),
  })),
});
const again = (timeline: Timeline): Timeline =>
  relinked(readOtio(writeOtio('Slack Water', timeline, mediaOf)), sources, SIZE, counter());

const RATES = [
  rational(24_000, 1001),
  rational(24),
  rational(25),
  rational(30_000, 1001),
  rational(50),
  rational(60_000, 1001),
];

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
      const transitions: { id: string; kind: 'crossfade'; at: number; before: number; after: number }[] = [];
      const made = clips.map(({ gap, length, source, from, speed, joins, enabled: on }, at): Clip => {
        const start = end + (joins ? 0 : gap);
        if (joins && at > 0 && clips[at - 1]!.length > 8 && length > 8)
          transitions.push({ id: `t${index}-${at}`, kind: 'crossfade', at: start, before: 3, after: 4 });
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
        };
      });
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
    const clip: Clip = {
      id: 'c',
      name: 'The wheel',
      sourceId: 'wheel',
      start: 12,
      length: 24,
      sourceIn: rational(2),
      enabled: true,
      speed: rational(2),
    };
    const track = { id: 't', kind: 'picture' as const, name: 'V', enabled: true, clips: [clip] };
    const file = JSON.parse(
      writeOtio('Cut', { rate: rational(24), startFrame: 86_400, size: SIZE, tracks: [track] }, (id) => ({
        ...mediaOf(id)!,
        copyTarget: 'file:///copies/wheel.mp4',
      })),
    ) as Record<string, never>;
    expect(file).toMatchObject({
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

  const time = (value: number, rate = 24) => ({ OTIO_SCHEMA: 'RationalTime.1', value, rate });
  const range = (start: number, duration: number, rate = 24) => ({
    OTIO_SCHEMA: 'TimeRange.1',
    start_time: time(start, rate),
    duration: time(duration, rate),
  });
  const clip = (name: string, start: number, duration: number, more: object = {}) => ({
    OTIO_SCHEMA: 'Clip.1',
    name,
    source_range: range(start, duration),
    media_reference: { OTIO_SCHEMA: 'ExternalReference.1', target_url: `/footage/day 1/${name}.mp4` },
    ...more,
  });
  const file = (...children: object[]) =>
    JSON.stringify({
      OTIO_SCHEMA: 'Timeline.1',
      name: 'By hand',
      tracks: {
        OTIO_SCHEMA: 'Stack.1',
        children: [{ OTIO_SCHEMA: 'Track.1', kind: 'Video', name: 'V1', children }],
      },
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
    expect(readOtio(text).notes).toContain('Nested stacks were laid flat.');
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

  it('keeps metadata and effects that it does not know, and writes them back as they were', () => {
    const glow = {
      OTIO_SCHEMA: 'Effect.1',
      effect_name: 'Glow',
      metadata: { strength: [1, { deep: true }] },
    };
    const text = file(clip('weir', 48, 24, { metadata: { other: { reel: 'A7' } }, effects: [glow] }));
    const timeline = relinked(readOtio(text), sources, SIZE, counter());
    expect(timelineSchema.isValidSync(timeline, { strict: true })).toBe(true);
    const written = JSON.parse(writeOtio('Back', timeline, mediaOf)) as {
      tracks: { children: { children: { metadata: object; effects: object[] }[] }[] };
    };
    const [back] = written.tracks.children[0]!.children;
    expect(back!.metadata).toEqual({ other: { reel: 'A7' } });
    expect(back!.effects).toEqual([glow]);
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
          const result = relinked(
            readOtio(file(clip('weir', 0, 10, { [path]: value }))),
            sources,
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

describe('CMX 3600', () => {
  const LIST = [
    'TITLE: SLACK WATER',
    'FCM: NON-DROP FRAME',
    '',
    '001  AX       V     C        01:00:00:00 01:00:02:00 01:00:00:00 01:00:02:00',
    '* FROM CLIP NAME: WEIR.MP4',
    '002  AX       V     C        01:00:05:00 01:00:05:00 01:00:02:00 01:00:02:00',
    '002  AX       V     D    012 01:00:10:00 01:00:12:00 01:00:02:00 01:00:04:00',
    '* FROM CLIP NAME: WEIR.MP4',
    '* TO CLIP NAME: WHEEL.MP4',
    '003  AX       A     C        00:00:01:00 00:00:05:00 01:00:00:00 01:00:04:00',
    '* FROM CLIP NAME: gulls',
    '004  AX       V     C        01:00:20:00 01:00:22:00 01:00:05:00 01:00:06:00',
    '* FROM CLIP NAME: wheel.mp4',
    'M2   AX       048.0                01:00:20:00',
  ].join('\r\n');

  it('is read: cuts, dissolves, speeds, names and gaps', () => {
    const imported = readCmx(LIST, rational(24));
    expect(imported).toMatchObject({ name: 'SLACK WATER', startFrame: 86_400 });
    const [picture, sound] = imported.tracks;
    expect(picture!.clips.map(({ name, start, length }) => `${name} ${start}+${length}`)).toEqual([
      'WEIR.MP4 0+48',
      'WHEEL.MP4 48+48',
      'wheel.mp4 120+24',
    ]);
    expect(picture!.transitions).toEqual([{ kind: 'crossfade', at: 48, before: 0, after: 12 }]);
    expect(picture!.clips[2]!.speed).toEqual(rational(2));
    expect(sound!.clips).toHaveLength(1);
    const timeline = relinked(imported, sources, SIZE, counter());
    // The wheel's own timecode begins at one hour, that of the weir at zero.
    expect(timeline.tracks[0]!.clips.map(({ sourceIn }) => sourceIn)).toEqual([
      HOUR,
      rational(10),
      rational(20),
    ]);
    expect(timelineFaults(timeline)).toEqual([]);
  });

  it('gives back cuts, dissolves, wipes and speeds that were written', () => {
    const clips = (['weir', 'wheel', 'gulls'] as const).map((sourceId, at): Clip => ({
      id: sourceId,
      name: sourceId,
      sourceId,
      start: 48 * at,
      length: 48,
      sourceIn: rational(24 * at + 24, 24),
      enabled: true,
      ...(at === 2 ? { speed: rational(-1) } : {}),
    }));
    const transitions = [
      { id: 'a', kind: 'crossfade' as const, at: 48, before: 6, after: 6 },
      { id: 'b', kind: 'wipe' as const, at: 96, before: 0, after: 10 },
    ];
    const track = { id: 'p', kind: 'picture' as const, name: 'Picture', enabled: true, clips, transitions };
    const timeline: Timeline = { rate: rational(24), startFrame: 86_400, size: SIZE, tracks: [track] };
    const text = writeCmx('Slack Water', timeline, mediaOf);
    expect(text).toMatch(/^TITLE: Slack Water\r\nFCM: NON-DROP FRAME/);
    expect(text).toContain('* FROM CLIP NAME: weir.mp4');
    const back = relinked(readCmx(text, rational(24)), sources, SIZE, counter()).tracks[0]!;
    expect(back.clips.map(({ sourceId, start, length, speed }) => [sourceId, start, length, speed])).toEqual([
      ['weir', 0, 42, undefined],
      ['wheel', 42, 54, undefined],
      ['gulls', 96, 48, rational(-1)],
    ]);
    // The same frames of the same sources, counted from where the dissolve begins.
    expect(back.clips[1]!.sourceIn).toEqual(rational(42, 24));
    expect(back.transitions).toMatchObject([
      { kind: 'crossfade', at: 42, before: 0, after: 12 },
      { kind: 'wipe', at: 96, before: 0, after: 10 },
    ]);
  });

  it('counts in drop-frame timecode where the list says so (SMPTE ST 12-1)', () => {
    const list = 'FCM: DROP FRAME\n001 AX V C 01:00:00;00 01:01:00;02 01:00:00;00 01:01:00;02';
    const imported = readCmx(list, rational(30_000, 1001));
    expect(imported.startFrame).toBe(107_892);
    expect(imported.tracks[0]!.clips[0]!.length).toBe(1800);
    expect(() => readCmx(list, rational(25))).toThrow(/line 1: .*drop-frame.*Make a project at 30000\/1001/);
  });

  it('says before what it cannot carry', () => {
    const clip = (id: string): Clip => ({
      id,
      name: id,
      sourceId: 'weir',
      start: 0,
      length: 10,
      sourceIn: ZERO,
      enabled: id !== 'off',
    });
    const track = (id: string) => ({
      id,
      kind: 'picture' as const,
      name: id,
      enabled: true,
      clips: [clip(id)],
    });
    const timeline: Timeline = {
      rate: rational(24),
      startFrame: 0,
      size: SIZE,
      tracks: [track('one'), track('off')],
      markers: [{ id: 'm', frame: 3, name: '', note: '' }],
    };
    expect(cmxLosses(timeline)).toEqual([
      'One picture track and two sound tracks fit: "off" will be missing.',
      '1 markers will be missing.',
      '1 clips that are turned off will be missing.',
    ]);
    expect(cmxLosses({ ...timeline, tracks: [track('one')], markers: [] })).toEqual([]);
  });

  it.each([
    ['a broken event', '001 AX V C 01:00:00:00', /line 1: an event was expected/],
    [
      'an impossible timecode',
      '001 AX V C 00:00:00:00 00:00:99:00 00:00:00:00 00:00:01:00',
      /line 1: .*too large/,
    ],
    [
      'an end before its beginning',
      '001 AX V C 00:00:00:00 00:00:01:00 00:00:02:00 00:00:01:00',
      /ends before it begins/,
    ],
    [
      'events over each other',
      '001 AX V C 00:00:00:00 00:00:02:00 00:00:00:00 00:00:02:00\n002 AX V C 00:00:00:00 00:00:02:00 00:00:01:00 00:00:03:00',
      /line 2: .*before the one ahead of it has ended/,
    ],
  ])('refuses %s with the line', (_what, text, message) => {
    expect(() => readCmx(text, rational(24))).toThrow(message);
  });

  it('neither crashes nor hangs, whatever comes', () => {
    const piece = fc.constantFrom(
      '001',
      'AX',
      'V',
      'C',
      'D 012',
      '01:00:00:00',
      '\n',
      'M2',
      '* FROM CLIP NAME:',
      'TITLE:',
      'FCM: DROP',
      '\u0000',
      '99',
    );
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string(),
          fc.array(piece).map((pieces) => pieces.join(' ')),
        ),
        (text) => {
          try {
            readCmx(text, rational(25));
          } catch (error) {
            expect(error).toBeInstanceOf(InterchangeError);
          }
        },
      ),
      { numRuns: 300 },
    );
  });
});

describe('relinking', () => {
  const reference = (
    name: string,
    target = '',
    more: { startSeconds?: Rational; lengthSeconds?: Rational } = {},
  ) => ({
    name,
    target,
    startSeconds: null,
    lengthSeconds: null,
    ...more,
  });

  it('goes by path, then by name, then by timecode and length', () => {
    const twice: Relinkable[] = [
      ...sources,
      {
        ...sources[0]!,
        id: 'weir again',
        path: '/elsewhere/weir.mp4',
        startSeconds: HOUR,
        lengthSeconds: rational(5),
      },
    ];
    expect(sourceFor(reference('weir.mp4', 'file:///elsewhere/weir.mp4'), twice)!.id).toBe('weir again');
    expect(sourceFor(reference('GULLS'), twice)!.id).toBe('gulls');
    expect(sourceFor(reference('weir.mp4', '', { startSeconds: HOUR }), twice)!.id).toBe('weir again');
    expect(sourceFor(reference('weir.mp4', '', { lengthSeconds: rational(600) }), twice)!.id).toBe('weir');
    expect(sourceFor(reference('heron.mp4'), twice)).toBeUndefined();
  });

  it('lists what is missing, each once', () => {
    const list = ['heron', 'weir', 'heron'].map(
      (name, at) =>
        `00${at + 1} AX V C 00:00:00:00 00:00:01:00 00:00:0${at}:00 00:00:0${at + 1}:00\n* FROM CLIP NAME: ${name}.mp4`,
    );
    expect(missingMedia(readCmx(list.join('\n'), rational(24)), sources).map(({ name }) => name)).toEqual([
      'heron.mp4',
    ]);
  });

  it('reads a source’s own timecode', () => {
    expect(timecodeStart('01:00:00:00', rational(25))).toEqual(HOUR);
    expect(timecodeStart('01:00:00;00', rational(30_000, 1001))).toEqual(rational(107_892 * 1001, 30_000));
    expect(timecodeStart(null, rational(25))).toEqual(ZERO);
    expect(timecodeStart('nonsense', rational(25))).toEqual(ZERO);
  });
});

describe('decimals', () => {
  it('become the fractions that they stand for', () => {
    expect(rationalOf(23.976)).toEqual(rational(24_000, 1001));
    expect(rationalOf(29.97)).toEqual(rational(30_000, 1001));
    expect(rationalOf(59.94005994)).toEqual(rational(60_000, 1001));
    expect(rationalOf(12.5)).toEqual(rational(25, 2));
    expect(simplest(-0.3333333333, 1e-6)).toEqual(rational(-1, 3));
    for (const bad of [0, -1, NaN, Infinity, 1e9]) expect(() => rationalOf(bad)).toThrow(RangeError);
  });
});
