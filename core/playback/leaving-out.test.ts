import { describe, expect, it } from 'vitest';
import { LeavingOut } from './index.js';

describe('leaving out pictures that no other refers to', () => {
  it('waits until it knows what a picture takes', () => {
    expect(new LeavingOut().isLate(0, 100, 1, 0)).toBe(false);
  });

  it('is for what would come too late, by its size, what is queued before, and its making', () => {
    const leaving = new LeavingOut();
    for (let picture = 0; picture < 20; picture++) leaving.took(0.5, 1000);
    // A frame is too late when the next is due; one more is kept in reserve.
    expect(leaving.isLate(10, 8, 1000, 0)).toBe(false);
    expect(leaving.isLate(10, 9.6, 1000, 0)).toBe(true);
    // One of a tenth of the size comes in time there.
    expect(leaving.isLate(10, 9.6, 100, 0)).toBe(false);
    expect(leaving.isLate(10, 8, 5000, 0)).toBe(true);
    expect(leaving.isLate(10, 8, 1000, 2)).toBe(true);
  });

  it('goes by what the last pictures took, whatever came before', () => {
    const [slow, fast] = [new LeavingOut(), new LeavingOut()];
    for (let picture = 0; picture < 50; picture++) slow.took(5, 1000);
    for (let picture = 0; picture < 12; picture++) {
      slow.took(0.5, 1000);
      fast.took(0.5, 1000);
    }
    expect(slow.memory()).toBe(fast.memory());
    const copy = slow.copy();
    for (let picture = 0; picture < 12; picture++) copy.took(5, 1000);
    expect(copy.isLate(10, 8, 1000, 0)).toBe(true);
    expect(slow.isLate(10, 8, 1000, 0)).toBe(false);
  });
});
