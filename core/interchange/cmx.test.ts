import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { formatTimecode, rational, timecodeOf, ZERO } from '../time/index.js';
import { timelineFaults, type Clip, type Timeline } from '../timeline/index.js';
import { cmxLosses, cmxRates, InterchangeError, readCmx, relink, writeCmx } from './index.js';
import { counter, HOUR, MEDIA, mediaOf, SIZE } from './testing-media.js';

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
    const timeline = relink(imported, MEDIA, SIZE, counter());
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
    const back = relink(readCmx(text, rational(24)), MEDIA, SIZE, counter()).tracks[0]!;
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
    expect(() => readCmx(list, rational(25))).toThrow(/line 1: .*drop-frame.*Choose 29.97/);
  });

  it('can be meant at the rates that its timecodes allow, and no others', () => {
    const rates = (list: string): number[] =>
      cmxRates(list).map(({ num, den }) => Math.round((1000 * num) / den));
    const event = (times: string): string => `001 AX V C ${times} ${times}`;
    expect(rates(event('00:00:00:00 00:00:01:23'))).toEqual([
      23_976, 24_000, 25_000, 29_970, 30_000, 50_000, 59_940, 60_000,
    ]);
    expect(rates(event('00:00:00:00 00:00:01:24'))).toEqual([25_000, 29_970, 30_000, 50_000, 59_940, 60_000]);
    expect(rates(`FCM: DROP FRAME\n${event('00:00:00;00 00:00:01;29')}`)).toEqual([29_970, 59_940]);
    expect(rates(event('00:00:00;02 00:00:01;10'))).toEqual([29_970, 59_940]);
  });

  it('stays non-drop where it says so, and counts as drop-frame where only its semicolons do (SMPTE ST 12-1)', () => {
    const list = (sign: string, head = ''): string =>
      `${head}001 AX V C 00:00:00${sign}00 00:01:00${sign}02 01:00:00${sign}00 01:01:00${sign}02`;
    const ntsc = rational(30_000, 1001);
    const nonDrop = readCmx(list(':', 'FCM: NON-DROP FRAME\n'), ntsc);
    expect(nonDrop).toMatchObject({ startFrame: 108_000, dropFrame: false });
    expect(formatTimecode(nonDrop.startFrame, timecodeOf(nonDrop))).toBe('01:00:00:00');
    const drop = readCmx(list(';'), ntsc);
    expect(drop).toMatchObject({ startFrame: 107_892, dropFrame: true });
    expect(formatTimecode(drop.startFrame, timecodeOf(drop))).toBe('01:00:00;00');
  });

  it('plays at normal speed what says 29.97 frames a second of 30000/1001', () => {
    const list =
      '001 AX V C 00:00:00:00 00:00:02:00 01:00:00:00 01:00:02:00\nM2 AX 029.97 00:00:00:00\n002 AX V C 00:00:00:00 00:00:02:00 01:00:02:00 01:00:04:00\nM2 AX -014.99 00:00:00:00';
    const [first, second] = readCmx(list, rational(30_000, 1001)).tracks[0]!.clips;
    expect(first!.speed).toEqual(rational(1));
    expect(second!.speed).toEqual(rational(-1, 2));
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
