import { describe, expect, it } from 'vitest';
import { NonReferenceSkipping } from './index.js';

describe('leaving out pictures that no other refers to', () => {
  it('waits until it knows what a picture takes', () => {
    expect(new NonReferenceSkipping().isLate(0, 100, 1, 0)).toBe(false);
  });

  it('is for what would come too late, by its size, what is queued before, and its making', () => {
    const leaving = new NonReferenceSkipping();
    for (let picture = 0; picture < 20; picture++) leaving.observe(0.5, 1000);
    // A frame is too late when the next is due; one more is kept in reserve.
    expect(leaving.isLate(10, 8, 1000, 0)).toBe(false);
    expect(leaving.isLate(10, 9.6, 1000, 0)).toBe(true);
    // One of a tenth of the size comes in time there.
    expect(leaving.isLate(10, 9.6, 100, 0)).toBe(false);
    expect(leaving.isLate(10, 8, 5000, 0)).toBe(true);
    expect(leaving.isLate(10, 8, 1000, 2)).toBe(true);
  });

  it('goes by what the last pictures took, whatever came before', () => {
    const [slow, fast] = [new NonReferenceSkipping(), new NonReferenceSkipping()];
    for (let picture = 0; picture < 50; picture++) slow.observe(5, 1000);
    for (let picture = 0; picture < 12; picture++) {
      slow.observe(0.5, 1000);
      fast.observe(0.5, 1000);
    }
    expect(slow.stateKey()).toBe(fast.stateKey());
    const copy = slow.copy();
    for (let picture = 0; picture < 12; picture++) copy.observe(5, 1000);
    expect(copy.isLate(10, 8, 1000, 0)).toBe(true);
    expect(slow.isLate(10, 8, 1000, 0)).toBe(false);
  });
});
