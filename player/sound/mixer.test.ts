import { describe, expect, it } from 'vitest';
import { gainOf } from './mixer.js';
import { turnedRound } from './sound-part.js';

describe('sound that comes and goes', () => {
  it('does so evenly, and is left alone between', () => {
    const gain = gainOf({ from: 1000, to: 2000, fades: { in: 100, out: 200 } }, 1000)!;
    expect([0, 50, 100, 500, 800, 900, 1000].map(gain)).toEqual([0, 0.5, 1, 1, 1, 0.5, 0]);
    expect(gainOf({ from: 0, to: 10, fades: { in: 0, out: 0 } }, 0)).toBeUndefined();
  });

  it('adds up to what it was while one part gives way to another', () => {
    const going = gainOf({ from: 0, to: 1000, fades: { in: 0, out: 400 } }, 600)!;
    const coming = gainOf({ from: 600, to: 2000, fades: { in: 400, out: 0 } }, 600)!;
    for (let into = 0; into <= 400; into += 25) expect(going(into) + coming(into)).toBeCloseTo(1, 9);
  });
});

describe('sound that is turned round', () => {
  it('has the last sample first, and left and right where they were', () => {
    expect([...turnedRound(Float32Array.of(1, -1, 2, -2, 3, -3))]).toEqual([3, -3, 2, -2, 1, -1]);
  });
});
