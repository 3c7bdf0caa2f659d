import { FINDING_KINDS, findingOf, type FindingOf } from '@hone/core/findings';
import { describe, expect, it } from 'vitest';
import type { Predicted } from '../prediction/prediction-messages';
import { findingSentence, laneSum, nextShoot } from './finding-words';

const drive: FindingOf<'drive'>['evidence'] = {
  drive: '/media',
  wantedBytesPerSecond: 996e6,
  peakBytesPerSecond: 1.04e9,
  driveBytesPerSecond: 550e6,
  readers: 1,
};

describe('the words of findings', () => {
  it('say what a drive gives and what is wanted', () => {
    expect(findingSentence(findingOf('drive', drive))).toBe(
      'The drive /media cannot feed the picture: 996 MB/s are wanted, 1.04 GB/s at most, and it gives 550 MB/s.',
    );
  });

  it('say how many are decoded for each one shown, and how to record next time', () => {
    const found = findingOf('rate-mismatch', { sources: ['wheel pit'], decodedPerShown: 2.5 });
    expect(findingSentence(found)).toContain('2.5 are decoded for each one shown');
    const shape = { size: { width: 1920, height: 1080 }, framesPerSecond: 24 };
    expect(nextShoot(found, shape)).toBe('Next shoot: record at 24 frames/s.');
    // 917,504 bytes a frame (SMPTE ST 2019-1), 24 a second: 79.3 GB an hour.
    expect(nextShoot({ kind: 'cores' }, shape)).toContain('79.3 GB an hour');
    expect(nextShoot({ kind: 'drive' }, shape)).toBeNull();
  });

  it('name beside decoding what else takes a fair part of the cores', () => {
    const ms = { decodeMs: 38, scaleMs: 3, effectsMs: 0, composeMs: 0, showMs: 34, budgetMs: 41.7 };
    expect(findingSentence(findingOf('cores', { sources: ['mill'], ...ms, corePercent: 91 }))).toBe(
      'Decoding mill takes 38 ms of each 41.7 ms, showing 34 ms, and all cores together are 91 % busy.',
    );
  });

  it('call cores idle only where they are', () => {
    const long = (corePercent: number): string =>
      findingSentence(findingOf('long-groups', { sources: ['pit'], reachMs: 859, corePercent }));
    expect(long(30)).toContain('works 859 ms to reach the first frame, while the cores are only 30 % busy.');
    expect(long(100)).toContain('works 859 ms to reach the first frame, and the cores are 100 % busy.');
  });

  it('blame no stage where nothing is busy', () => {
    const found = findingOf('unexplained', { busiestStage: 'decode', usePercent: 44 });
    expect(findingSentence(found)).toMatch(/Decode, the busiest, takes 44\s%/);
  });

  it('name the kinds that other footage would not have', () => {
    const shape = { size: { width: 1920, height: 1080 }, framesPerSecond: 24 };
    expect(FINDING_KINDS.filter((kind) => nextShoot({ kind }, shape))).toEqual([
      'cores',
      'serial-decoding',
      'long-groups',
      'rate-mismatch',
    ]);
  });

  it('add up a lane from its clips', () => {
    const frames = 48;
    const lane = (ms: number): Float32Array => new Float32Array(frames).fill(ms);
    const passage = {
      ...{ from: 0, to: frames, bytesPerPicture: 1e6, drive: 0, scaleMs: 2, effectsMs: 0 },
      decodes: new Uint16Array(frames).fill(1),
    };
    const fast = { ...passage, sourceId: 'pit', decodeMs: 10, decodes: new Uint16Array(frames).fill(2) };
    const predicted = {
      rate: { num: 24, den: 1 },
      stageMs: {
        read: lane(3),
        decode: lane(38),
        scale: lane(4),
        effects: lane(0),
        compose: lane(0),
        show: lane(5),
      },
      workload: {
        segments: [{ ...passage, sourceId: 'main', decodeMs: 38 }, fast],
        drives: [{ bytesPerSecond: 1e9 }],
      },
    } as unknown as Predicted;
    expect(laneSum(predicted, 'decode', 20, (id) => id)).toBe(
      'Decode, predicted: the busiest decoder 38 ms of 41.7 ms, 91.2 %: main 38 ms, pit 20 ms (2 decoded for 1 shown)',
    );
    expect(laneSum(predicted, 'show', 20, (id) => id)).toBe('Show, predicted: 5 ms of 41.7 ms, 12 %');
    expect(laneSum(predicted, 'show', 900, (id) => id)).toBe('');
  });
});
