import { describe, expect, it } from 'vitest';
import { RunScale } from './index.js';

const scales = (from: 1 | 2 | 4 | 8 | 16, dropShares: readonly number[]): number[] => {
  const run = new RunScale(from);
  return dropShares.map((share) => run.next(share));
};

describe('The preview scale during a run', () => {
  it('stays where frames are shown, and is lowered one step at a time while they are dropped', () => {
    expect(scales(2, [0, 0.05, 0.1])).toEqual([2, 2, 2]);
    expect(scales(2, [0.6, 0.3, 0, 0])).toEqual([4, 8, 8, 8]);
    expect(scales(16, [0.9, 0.9])).toEqual([16, 16]);
  });

  it('is put back, and held, where a lower one drops nearly as many: pixels are not the limit', () => {
    expect(scales(2, [0.6, 0.55, 0.9, 0.9])).toEqual([4, 2, 2, 2]);
    expect(scales(1, [0.9, 0.5, 0.5, 0])).toEqual([2, 4, 2, 2]);
  });

  it('is lowered again when drops begin later', () => {
    expect(scales(2, [0.4, 0, 0, 0.4, 0.1])).toEqual([4, 4, 4, 8, 8]);
  });
});
