import { describe, expect, it } from 'vitest';
import type { Timeline } from './model.js';
import { fingerprintDifferences, timelineFingerprint } from './timeline-fingerprint.js';

const clip = (start: number, more: object = {}) => ({
  ...{ id: `c${start}`, name: 'A', sourceId: 's', start, length: 24 },
  ...{ sourceIn: { num: 0, den: 1 }, enabled: true, ...more },
});
const timeline = (clips: readonly object[], more: Partial<Timeline> = {}): Timeline => ({
  rate: { num: 24, den: 1 },
  startFrame: 0,
  size: { width: 1920, height: 1080 },
  tracks: [{ id: 't', kind: 'picture', name: 'Picture', enabled: true, clips: clips as never }],
  ...more,
});
const blur = (radius: number) => ({ id: 'e', kind: 'blur', enabled: true, values: { radius } });

describe('the print of a timeline', () => {
  const before = timelineFingerprint(timeline([clip(0), clip(24)]));
  const differs = (other: Timeline) => fingerprintDifferences(before, timelineFingerprint(other));

  it('is the same whatever things are called, and whatever order fields come in', () => {
    expect(
      differs(timeline([clip(0, { name: 'B', id: 'other' }), clip(24)], { startFrame: 86_400 })),
    ).toEqual([]);
    const effect = timelineFingerprint(timeline([clip(0, { effects: [blur(3)] })]));
    const turned = { values: { radius: 3 }, enabled: true, kind: 'blur', id: 'x' };
    expect(timelineFingerprint(timeline([clip(0, { effects: [turned] })]))).toEqual(effect);
  });

  it('says what changed', () => {
    expect(differs(timeline([clip(0), clip(25)]))).toEqual(['cuts']);
    expect(differs(timeline([clip(0), clip(24, { enabled: false })]))).toEqual(['cuts']);
    expect(differs(timeline([clip(0), clip(24, { effects: [blur(1)] })]))).toEqual(['effects']);
    expect(differs(timeline([clip(0), clip(24)], { size: { width: 1280, height: 720 } }))).toEqual([
      'format',
    ]);
    const [one, two] = [1, 2].map((radius) =>
      timelineFingerprint(timeline([clip(0, { effects: [blur(radius)] })])),
    );
    expect(fingerprintDifferences(one!, two!)).toEqual(['effects']);
  });
});
