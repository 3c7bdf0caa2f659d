import { describe, expect, it } from 'vitest';
import { FIRST_TUNING, PLAINEST, sameTuning, savedTuningsSchema } from './index.js';

describe('Saved tunings', () => {
  it('are alike where all levers stand alike, in whatever order they are listed', () => {
    expect(sameTuning(FIRST_TUNING, { ...FIRST_TUNING, bypass: [], renderCache: undefined })).toBe(true);
    const one = { ...FIRST_TUNING, tracksOff: ['a', 'b'] };
    expect(sameTuning(one, { ...FIRST_TUNING, tracksOff: ['b', 'a'] })).toBe(true);
    expect(sameTuning(FIRST_TUNING, PLAINEST)).toBe(false);
    expect(sameTuning(FIRST_TUNING, { ...FIRST_TUNING, autoScale: true })).toBe(false);
  });

  it('have names of their own, and are checked as input', () => {
    const isValid = (all: unknown): boolean => savedTuningsSchema.isValidSync(all, { strict: true });
    const draft = { name: 'Draft', tuning: FIRST_TUNING };
    expect(isValid([])).toBe(true);
    expect(isValid([draft, { ...draft, name: 'Check' }])).toBe(true);
    expect(isValid([draft, draft])).toBe(false);
    expect(isValid([{ ...draft, name: '' }])).toBe(false);
    expect(isValid([{ name: 'Draft', tuning: { playScale: 3 } }])).toBe(false);
  });
});
