import { describe, expect, it } from 'vitest';
import { presentMsOf, together } from './presentation.js';

describe('what presenting takes', () => {
  // Two cores for 500 ms; one piece of work takes 0.1 ms of a core.
  const CORE_MS = 1000;
  const left = (usedMs: number, pictures: number): { pictures: number; pieces: number } => ({
    pictures,
    pieces: (CORE_MS - usedMs) / 0.1,
  });

  it('is what is missing of all cores when pictures are seen, beside what is missing when they are drawn', () => {
    // Ten pictures of 30 ms each, and 12 ms more to bring each of them to the screen.
    expect(presentMsOf(left(0, 0), left(300, 10), left(420, 10), CORE_MS)).toBeCloseTo(12);
    // Not every picture is done when the cores are full.
    expect(presentMsOf(left(0, 0), left(300, 10), left(294, 7), CORE_MS)).toBeCloseTo(12);
  });

  it('adds up over rounds, so that those with more pictures count for more', () => {
    const drawn = together(left(300, 10), left(90, 3));
    const seen = together(left(420, 10), left(126, 3));
    expect(presentMsOf(together(left(0, 0), left(0, 0)), drawn, seen, 2 * CORE_MS)).toBeCloseTo(12);
  });

  it('is never below nothing', () => {
    expect(presentMsOf(left(0, 0), left(300, 10), left(250, 10), CORE_MS)).toBe(0);
    expect(presentMsOf(left(0, 0), left(0, 0), left(0, 0), CORE_MS)).toBe(0);
    expect(presentMsOf({ pictures: 0, pieces: 0 }, left(0, 0), left(0, 0), CORE_MS)).toBe(0);
  });
});
