import { rational } from '@hone/core/time';
import { pictureFacts, readySource, sourceFacts } from '@hone/core/testing';
import type { PictureStructure } from '@hone/core/media';
import { UNCALIBRATED, type Calibration } from '@hone/core/cost-model';
import { SIMULATED_RIGS, type Rig } from '@hone/core/machine';
import { describe, expect, it } from 'vitest';
import { figureRows, machineLines } from './rig-words';
import { containerText, factGroups, lengthText, originText, rateText } from './source-words';

describe('words for sources', () => {
  it('give every fact a name, and none an empty value', () => {
    const groups = factGroups(readySource('a', sourceFacts({ scan: 'top field first' })), null);
    expect(groups.map(({ title }) => title)).toContain('Picture');
    for (const [name, value] of groups.flatMap(({ facts }) => facts)) {
      expect(name).not.toBe('');
      expect(value, name).not.toMatch(/^$|undefined|null|NaN/);
    }
    const picture = groups.find(({ title }) => title === 'Picture')!;
    const decoder = picture.facts.find(([name]) => name === 'Decoded by')!;
    // The browser shows both fields of an interlaced picture at once.
    expect(decoder[1]).toMatch(/^the server: /);
  });

  it('say of B-frames how many can be left out', () => {
    const source = readySource('a', sourceFacts());
    const spread = { shortest: 48, median: 48, longest: 48 };
    const structure = {
      ...{ gopFrames: spread, stepMs: spread, coldStartFrames: { mean: 24, most: 48 } },
      ...{ reordered: true, unreferencedShare: 0.66, averageBitsPerSecond: 1e6, peakBitsPerSecond: 1e6 },
      ...{ peakAtSeconds: 0, bitsPerFrame: 1e5, bitsPerPixel: 0.1 },
    } as PictureStructure;
    const facts = factGroups({ ...source, structure }, null).flatMap((group) => group.facts);
    expect(facts.find(([name]) => name === 'Can be left out')![1]).toMatch(/^66 % of the frames/);
  });

  it('say rates as they are', () => {
    expect(rateText(pictureFacts({ rate: { num: 30_000, den: 1001 } }).rate)).toBe('29.97 frames/s');
    expect(rateText({ num: 24, den: 1 })).toBe('24 frames/s');
  });

  it('say lengths, containers and who decodes', () => {
    const sound = (num: number, den = 1) => ({ picture: null, duration: rational(num, den) });
    expect(lengthText(sound(12))).toBe('12.00 s');
    expect(lengthText(sound(301, 4))).toBe('1 min 15.3 s');
    // 25 frames a second: a minute, a second and two frames.
    const { picture } = sourceFacts({ rate: rational(25), frameCount: 61 * 25 + 2 });
    expect(lengthText({ picture, duration: rational(1) })).toBe('00:01:01:02');
    expect(containerText({ container: 'mov,mp4,m4a,3gp,3g2,mj2', picture: pictureFacts() })).toBe(
      'MP4 or MOV',
    );
    expect(containerText({ container: 'mov,mp4,m4a,3gp,3g2,mj2', picture: null })).toBe('MP4 sound (M4A)');
    expect(containerText({ container: 'mpegts', picture: null })).toBe('MPEG transport stream');
    expect(containerText({ container: 'nut', picture: null })).toBe('NUT');
    const pixels = { width: 960, height: 540 };
    expect(originText({ choice: 'light copy', pixels, decoder: 'server' })).toBe(
      'light copy 960 × 540, decoded by the server',
    );
    expect(originText({ choice: 'missing', pixels: null, decoder: null })).toBe('missing');
  });
});

describe('words for rigs', () => {
  it.each(SIMULATED_RIGS.map((rig) => [rig.name, rig] as const))('list the figures of %s', (_name, rig) => {
    const rows = figureRows(rig);
    const stages = rows.map(({ stage }) => stage);
    expect(stages).toEqual(
      expect.arrayContaining(['Read', 'Write', 'Decode', 'Scale', 'Compose', 'Show', 'Cores']),
    );
    for (const { what, value, spread, date } of rows) {
      expect(what).not.toBe('');
      // Figures that were given were never taken.
      expect([spread, date]).toEqual(['', '']);
      expect(value).toMatch(/^[\d.,]+ \S+|^–$/);
    }
    const decoders = rig.decoders.map((each) => ({ ...each, bitShare: 0.7, restartMs: each.msPerFrame! }));
    const told = figureRows({ ...rig, decoders }).find(
      ({ stage, value }) => stage === 'Decode' && value !== '–',
    )!;
    expect(told.remark).toMatch(/after a jump [\d.]+ ms; 70 % scales with bit rate/);
    expect(machineLines(rig).find(([name]) => name === 'Processor')![1]).toContain(
      `${rig.machine.cores} cores`,
    );
  });

  it('say what the formats of the render cache take', () => {
    const [rig] = SIMULATED_RIGS;
    const { ms } = rig!.shows[0]!;
    const tried = (likeness: number | null) => ({
      ...{ format: 'ffv1', works: true, reason: '', pixels: 518_400, frameBytes: 178_410.2, likeness },
      framesPerSecond: { ...ms, value: 71 },
    });
    const rows = (likeness: number | null) =>
      figureRows({ ...rig!, cacheFormats: [tried(likeness)] } as Rig).filter(
        ({ stage }) => stage === 'Encode',
      );
    expect(rows(null)).toMatchObject([
      { what: 'FFV1, for the render cache', value: '71 frames/s', remark: '178 kB a frame; lossless' },
    ]);
    expect(rows(48.23)[0]!.remark).toBe('178 kB a frame; 48.2 dB like the original');
  });

  it('say how steady runs have shown a machine to be, once something was learned', () => {
    const [rig] = SIMULATED_RIGS;
    const told = (calibration: Calibration | undefined): string | undefined =>
      machineLines({ ...rig!, calibration } as Rig).find(([name]) => name === 'Steadiness')?.[1];
    expect(told(undefined)).toBeUndefined();
    expect(told(UNCALIBRATED)).toContain('not known yet');
    const measured = { ...rig!, thoroughness: 'quick', calibration: UNCALIBRATED } as Rig;
    expect(machineLines(measured).find(([name]) => name === 'Steadiness')![1]).toMatch(
      /not known yet: predictions assume 9.* % more or less from second to second and 8 % from run to run until longer runs show it/,
    );
    const unsteadiness = { variance: 0.01, seconds: 60, ofRuns: 0.0025, runs: 9 };
    const text = told({ ...UNCALIBRATED, unsteadiness })!;
    // In means of a second a little of what a second differs by is lost: 10 % are 11.7 %.
    expect(text).toMatch(/11\.7 % more or less from second to second and 5 % from run to run/);
  });
});
