import { signal } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { MockStore, provideMockStore } from '@ngrx/store/testing';
import type { RunRecord } from '@hone/core/api';
import type { Recommendation, TuningFigures } from '@hone/core/findings';
import { FIRST_TUNING, type Tuning } from '@hone/core/levers';
import { runOf } from '@hone/core/testing';
import { beforeEach, describe, expect, it } from 'vitest';
import { Predictions } from '../prediction/predictions';
import { playbackFeature } from '../state/playback.feature';
import { selectLength, selectTuning } from '../state/selectors';
import { PositionGains } from './position-gains';

const POSITIONS = ([2, 4, 8] as const).map((playScale) => ({
  name: `1:${playScale}`,
  change: { playScale },
}));
const SETTLED: readonly (readonly Recommendation[])[] = [];

/** A run of the whole timeline with the tuning as it is, every fourth frame of which was dropped. */
function played(tuning: Tuning): RunRecord {
  const { summary, facts } = runOf((frame) => ({ dropped: frame % 4 === 0 }));
  const rate = { num: 24, den: 1 };
  return {
    ...{ id: 'r', projectId: 'p', startedAt: '2026-01-01T00:00:00Z', summary, notes: '', findings: null },
    facts: { ...facts, tuning, rate, wholeFrames: summary.wanted, firstFrame: 0 },
  };
}

describe('what the positions of a lever bring', () => {
  let fixture: ComponentFixture<PositionGains>;
  let asked: number[];
  const recommendations = signal<typeof SETTLED | null>(null);
  const isStill = signal(true);
  const run = played({ ...FIRST_TUNING, playScale: 4 });

  beforeEach(() => {
    asked = [];
    recommendations.set(null);
    isStill.set(true);
    const withTuning = ({ playScale }: Tuning): Promise<TuningFigures> => {
      asked.push(playScale);
      return Promise.resolve({ framesPerSecond: 3 * playScale, isRealTime: playScale > 4 });
    };
    TestBed.configureTestingModule({
      imports: [PositionGains],
      providers: [
        provideMockStore({
          selectors: [
            { selector: selectTuning, value: FIRST_TUNING },
            { selector: selectLength, value: run.summary.wanted },
            { selector: playbackFeature.selectRuns, value: [] },
          ],
        }),
        {
          provide: Predictions,
          useValue: { recommendations, isStill, isWhatIf: signal(false), withTuning },
        },
      ],
    });
    fixture = TestBed.createComponent(PositionGains);
    fixture.componentRef.setInput('positions', POSITIONS);
  });

  async function text(): Promise<string> {
    await fixture.whenStable();
    await new Promise((resolve) => setTimeout(resolve, 20));
    await fixture.whenStable();
    return (fixture.nativeElement as HTMLElement).textContent.trim();
  }

  it('is predicted one by one, as soon as what is more urgent is there', async () => {
    expect(await text()).toBe('being predicted …');
    expect(asked).toEqual([]);
    recommendations.set(SETTLED);
    expect(await text()).toBe('frames/s: 1:2 6 · 1:4 12 · 1:8 plays');
    expect(asked).toEqual([2, 4, 8]);
  });

  it('is what was measured, where it was played so', async () => {
    TestBed.inject(MockStore).overrideSelector(playbackFeature.selectRuns, [run]);
    recommendations.set(SETTLED);
    expect(await text()).toBe('frames/s: 1:2 6 · 1:4 18, measured · 1:8 plays');
    expect(asked).toEqual([2, 8]);
  });

  it('is not predicted while it plays, and anew in another situation', async () => {
    isStill.set(false);
    recommendations.set(SETTLED);
    expect(await text()).toBe('1:2 … · 1:4 … · 1:8 …');
    isStill.set(true);
    expect(await text()).toContain('1:8 plays');
    recommendations.set([[]]);
    expect(await text()).toContain('1:8 plays');
    expect(asked).toEqual([2, 4, 8, 2, 4, 8]);
  });
});
