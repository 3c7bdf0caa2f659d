import type { LightCopy, Source } from '@hone/core/api';
import { FIRST_TUNING, PLAINEST } from '@hone/core/levers';
import { SIMULATED_RIGS, type DecodeFigures, type Rig } from '@hone/core/machine';
import { INTRA_H264 } from '@hone/core/media';
import { alone, readySource, sourceFacts } from '@hone/core/testing';
import { planFor } from '@hone/player';
import { describe, expect, it } from 'vitest';
import { decodingRows } from './decoding-rows';
import { decodingName, decodingNote, lackingNote } from './decoding-words';

const facts = sourceFacts();
const picture = facts.picture!;
const source: Source = readySource('a', facts);

function rigBy(measured: Readonly<Partial<Record<'hardware' | 'software', number>>>): Rig {
  const [rig] = SIMULATED_RIGS;
  const [like] = rig!.decoders.filter(({ msPerFrame }) => msPerFrame);
  const { codec, chroma, bitDepth, size } = picture;
  const paths = Object.keys(measured) as DecodeFigures['paths'];
  const decoders = Object.entries(measured).map(([acceleration, value]) => ({
    ...{ ...like!, codec, chroma, bitDepth, ...size, decoder: 'browser' as const, paths },
    acceleration: acceleration as DecodeFigures['acceleration'],
    msPerFrame: { ...like!.msPerFrame!, value },
  }));
  return { ...rig!, decoders };
}

const rowOf = (rig: Rig | null, sources: Source[] = [source], choices = PLAINEST.decodePaths) =>
  decodingRows(planFor(alone('a'), PLAINEST, sources, []), sources, rig, choices)[0]!;

describe('how pictures are decoded', () => {
  it('is told with what was measured of both paths', () => {
    const row = rowOf(rigBy({ hardware: 4, software: 31 }));
    expect(decodingName(row)).toBe(`H.264 ${picture.profile}`);
    expect(decodingNote(row)).toBe('in hardware, 4 ms a picture; software takes 31 ms');
    expect(lackingNote(row, false)).toBeNull();
    const { codec, profile } = picture;
    const chosen = rowOf(
      rigBy({ hardware: 4, software: 31 }),
      [source],
      [{ codec, profile, path: 'software' }],
    );
    expect(decodingNote(chosen)).toBe('in software, 31 ms a picture; hardware takes 4 ms');
  });

  it('gives the reason why there is no hardware, by what the pictures are', () => {
    const none = rigBy({ software: 31 });
    expect(lackingNote(rowOf(none), false)).toMatch(/this browser offers no hardware decoder.*driver/);
    // Said once for all kinds of pictures.
    expect(lackingNote(rowOf(none), true)).toBeNull();
    const deep = readySource('a', { ...facts, picture: { ...picture, chroma: '4:2:2', bitDepth: 10 } });
    const rig = {
      ...none,
      decoders: none.decoders.map((each) => ({ ...each, chroma: '4:2:2', bitDepth: 10 })),
    };
    expect(lackingNote(rowOf(rig, [deep]), false)).toMatch(/rarely take 4:2:2 of 10 bits\. Light copies/);
  });

  it('is left to the browser before it was tried, and done by the server where no browser can', () => {
    expect(decodingNote(rowOf(null))).toBe('left to the browser until it was tried');
    expect(rowOf(null).lacking).toEqual([]);
    const lossless = readySource('a', { ...facts, picture: { ...picture, codec: 'ffv1', profile: '' } });
    const row = rowOf(null, [lossless]);
    expect(decodingNote(row)).toMatch(/^by the server, in software: no browser decodes ffv1/);
    expect(lackingNote(row, false)).toBe('The browser decodes light copies of it.');
  });

  it('is told of copies too', () => {
    const copy: LightCopy = {
      ...{ id: 'c', sourceId: 'a', projectId: 'p', divisor: 4, format: 'intra-h264', folder: '/c' },
      ...{ state: 'ready', width: 480, height: 270, alphaRow: null, bytes: 2e5 },
      ...{ likeness: null, madeInMs: 100 },
    };
    const plan = planFor(alone('a'), FIRST_TUNING, [source], [copy]);
    const rows = decodingRows(plan, [source], rigBy({ software: 31 }), undefined);
    expect(rows.map(decodingName)).toEqual([`H.264 ${picture.profile}`, 'H.264 of copies and render cache']);
    expect(rows.map(decodingNote)).toEqual([
      'in software, 31 ms a picture',
      'left to the browser until it was tried',
    ]);
    const rig = rigBy({ software: 31 });
    const made = rig.decoders.map((each) => ({ ...each, ...INTRA_H264 }));
    const tried = decodingRows(plan, [source], { ...rig, decoders: [...rig.decoders, ...made] }, undefined);
    expect(tried.map(decodingNote)).toEqual(['in software, 31 ms a picture', 'in software']);
  });
});
