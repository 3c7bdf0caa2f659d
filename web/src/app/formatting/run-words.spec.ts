import type { RunRecord } from '@hone/core/api';
import { describe, expect, it } from 'vitest';
import { graphicsText, keptText } from './run-words';

const run = (kept: RunRecord['facts']['kept']): RunRecord =>
  ({ facts: { firstFrame: 100, kept }, summary: { wanted: 50 } }) as RunRecord;

describe('the words of a run', () => {
  it('count the frames that were in memory, each once, and only those that were played', () => {
    const kept = [
      { clipId: 'below', from: 90, to: 120 },
      { clipId: 'above', from: 110, to: 130 },
      { clipId: 'later', from: 160, to: 170 },
    ];
    expect(keptText(run(kept))).toBe('Pictures of 30 of 50 frames were in memory from an earlier pass.');
    expect(keptText(run([]))).toBeNull();
    expect(keptText(run(undefined))).toBeNull();
  });

  it('say how busy the graphics processor was, where that is known', () => {
    const shares = [0.2, null, 0.6, undefined].map((graphicsShare) => ({ graphicsShare }));
    expect(graphicsText(shares)).toBe('the graphics processor was busy for 40 % of the time');
    expect(graphicsText([{ graphicsShare: null }])).toBeNull();
    expect(graphicsText([])).toBeNull();
  });
});
