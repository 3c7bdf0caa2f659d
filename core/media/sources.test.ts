import { execFileSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import type { LightCopy } from '../api/index.js';
import { pictureFacts, readySource, sourceFacts } from '../testing/index.js';
import { rational } from '../time/index.js';
import {
  conditionSchema,
  keepsDecodedSound,
  matches,
  pictureStructure,
  PacketIndex,
  PacketIndexBuilder,
  pixelFormatFacts,
  readFrameHeader,
  scaleColours,
  serverDecodeReason,
  writeFrameHeader,
  type Condition,
  type ConditionKind,
  type FilterContext,
} from './index.js';

describe('pixel formats', () => {
  // What ffprobe lists of each format: components, bits of each, and whether the last is alpha.
  it('agree with ffprobe’s own table', () => {
    const text = execFileSync('ffprobe', ['-v', 'error', '-show_pixel_formats', '-of', 'json'], {
      encoding: 'utf8',
    });
    const { pixel_formats: formats } = JSON.parse(text) as {
      pixel_formats: {
        name: string;
        flags: { alpha: number; rgb: number };
        log2_chroma_w?: number;
        log2_chroma_h?: number;
        components?: { bit_depth: number }[];
      }[];
    };
    const SAMPLING: Record<string, string> = {
      '11': '4:2:0',
      '10': '4:2:2',
      '00': '4:4:4',
      '20': '4:1:1',
      '01': '4:4:0',
    };
    let compared = 0;
    for (const { name, flags, components, ...chroma } of formats) {
      if (
        !/^(yuva?4(20|22|44|11)p(10|12)?(le)?|yuvj4\d\dp|gbra?p(10le)?|gray(10le)?|rgb24|rgba|bgra|nv12|p010le)$/.test(
          name,
        )
      )
        continue;
      compared++;
      const facts = pixelFormatFacts(name);
      expect([name, facts.bitDepth]).toEqual([name, components![0]!.bit_depth]);
      expect([name, facts.alpha]).toEqual([name, flags.alpha === 1]);
      if (flags.rgb) expect(facts.chroma).toBe('RGB');
      else if (components!.length >= 3)
        expect([name, facts.chroma]).toEqual([
          name,
          SAMPLING[`${chroma.log2_chroma_w}${chroma.log2_chroma_h}`],
        ]);
    }
    expect(compared).toBeGreaterThan(20);
  });

  it('that are not known are not guessed', () => {
    expect(pixelFormatFacts('bayer_rggb8').chroma).toBe('unknown');
  });
});

describe('who decodes', () => {
  const of = (picture: Parameters<typeof sourceFacts>[0], container = 'mov,mp4'): string | null =>
    serverDecodeReason(sourceFacts(picture, { container }), null);

  it('is the browser where it may know the codec and the container', () => {
    for (const codec of ['h264', 'hevc', 'vp9', 'av1']) expect(of({ codec })).toBeNull();
    expect(of({ codec: 'vp9' }, 'matroska,webm')).toBeNull();
  });

  it('is the server otherwise, with the reason', () => {
    expect(of({ codec: 'dnxhd' })).toMatch(/no browser decodes dnxhd/);
    expect(of({ scan: 'top field first' })).toBe('interlaced');
    expect(of({}, 'avi')).toMatch(/no browser reads avi/);
    const stills = { first: 1, count: 9, rate: rational(24) };
    expect(serverDecodeReason(sourceFacts({ codec: 'png' }), stills)).toMatch(/still/);
  });

  it('of sound is the browser, unless that is slow or impossible', () => {
    const sound = (codec: string) => sourceFacts({}, { sound: { codec, sampleRate: 48_000, channels: 2 } });
    expect(keepsDecodedSound(sound('aac'), 300)).toBe(false);
    expect(keepsDecodedSound(sound('pcm_s24le'), 300)).toBe(false);
    expect(keepsDecodedSound(sound('aac'), 10)).toBe(true);
    expect(keepsDecodedSound(sound('ac3'), 300)).toBe(true);
  });
});

describe('colours on their way through ffmpeg', () => {
  it('are BT.709 where the file does not say', () => {
    const untold = { matrix: null, primaries: null, transfer: null, range: null };
    expect(scaleColours(pictureFacts({ colour: untold }))).toContain('in_color_matrix=bt709');
    expect(scaleColours(pictureFacts({ colour: { ...untold, matrix: 'smpte170m' } }))).not.toContain('in_');
    expect(scaleColours(pictureFacts({ colour: untold, chroma: 'RGB' }))).not.toContain('in_');
  });
});

describe('the header of a raw frame', () => {
  it('comes back as it was', () => {
    const header = { seconds: 12.041666666666666, decodeMs: 8.5, readMs: 0.25, bytes: 777_600 };
    expect(readFrameHeader(writeFrameHeader(header))).toEqual(header);
  });
});

describe('filters', () => {
  const builder = new PacketIndexBuilder(24);
  for (let at = 0; at < 48; at++) builder.add({ bytes: 500_000, key: at === 0, pts: at, dts: at });
  const structure = pictureStructure(PacketIndex.from(builder.done()), { width: 3840, height: 2160 });
  const heavy = readySource('heavy', sourceFacts(), {
    structure,
    drive: '/slow',
    bin: 'Day 1/Mill',
    tags: ['wheel'],
  });
  const small = readySource(
    'small',
    sourceFacts({ size: { width: 1280, height: 720 }, rate: rational(25) }, { bitsPerSecond: 5e6 }),
  );
  const sound = readySource('sound', sourceFacts(null, { bitsPerSecond: 2e5 }));
  const context: FilterContext = {
    workingSize: { width: 1920, height: 1080 },
    rate: rational(24),
    usedIds: new Set(['heavy']),
    copies: [{ sourceId: 'small', state: 'ready' } as LightCopy],
    driveReads: (drive) => (drive === '/slow' ? 10e6 : undefined),
  };
  const found = (...conditions: [ConditionKind, Condition['value']?, boolean?][]): string[] =>
    [heavy, small, sound]
      .filter((source) =>
        matches(
          source,
          conditions.map(([kind, value = null, not = false]) => ({ kind, value, not })),
          context,
        ),
      )
      .map(({ id }) => id);

  it('find what they say', () => {
    expect(found(['larger'])).toEqual(['heavy']);
    expect(found(['longGop'])).toEqual(['heavy']);
    expect(found(['bitRate', 20])).toEqual(['heavy']);
    expect(found(['bitRate', 4])).toEqual(['heavy', 'small']);
    expect(found(['rate'])).toEqual(['small']);
    expect(found(['used'])).toEqual(['heavy']);
    expect(found(['noCopy'])).toEqual(['heavy', 'sound']);
    // 12 MB/s at its peak, from a drive that reads 10.
    expect(found(['drive'])).toEqual(['heavy']);
    expect(found(['text', 'WHEEL'])).toEqual(['heavy']);
    expect(found(['bin', 'Day 1'])).toEqual(['heavy']);
    expect(found(['interlaced'])).toEqual([]);
  });

  it('combine, and can be turned around', () => {
    expect(found(['noCopy'], ['used', null, true])).toEqual(['sound']);
    expect(found(['bitRate', 4], ['rate', null, true])).toEqual(['heavy']);
    expect(found()).toEqual(['heavy', 'small', 'sound']);
  });

  it('are refused when their value is none', () => {
    expect(conditionSchema.isValidSync({ kind: 'text', not: false, value: {} })).toBe(false);
    expect(conditionSchema.isValidSync({ kind: 'weather', not: false, value: null })).toBe(false);
    expect(conditionSchema.isValidSync({ kind: 'bitRate', not: false, value: 20 })).toBe(true);
  });
});
