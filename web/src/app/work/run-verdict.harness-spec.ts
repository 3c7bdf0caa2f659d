import { TestBed } from '@angular/core/testing';
import { MockStore, provideMockStore } from '@ngrx/store/testing';
import type { RunRecord } from '@hone/core/api';
import { runOf } from '@hone/core/testing';
import { beforeEach, describe, expect, it } from 'vitest';
import { RunLogs } from '../playback/run-logs';
import { selectPlayedRun, selectPlayedRuns } from '../state/selectors';
import { RunVerdict } from './run-verdict';

type Fate = Parameters<typeof runOf>[0];

function recordOf(fate: Fate): RunRecord {
  const { summary, facts } = runOf(fate);
  return {
    id: 'r',
    projectId: 'p',
    startedAt: '2026-01-01T00:00:00Z',
    facts: { ...facts, rate: { num: 24, den: 1 }, wholeFrames: summary.wanted, firstFrame: 0 },
    summary,
    notes: '',
    findings: null,
  };
}

describe('the verdict on a run', () => {
  let store: MockStore;
  const nothing = { last: null, before: null, beforeDiffers: [], outdated: null };

  beforeEach(() => {
    TestBed.configureTestingModule({
      imports: [RunVerdict],
      providers: [
        provideMockStore({
          selectors: [
            { selector: selectPlayedRun, value: null },
            { selector: selectPlayedRuns, value: nothing },
          ],
        }),
        { provide: RunLogs, useValue: { want: () => undefined } },
      ],
    });
    store = TestBed.inject(MockStore);
  });

  async function textWith(run: RunRecord | null): Promise<string> {
    store.overrideSelector(selectPlayedRun, run);
    const fixture = TestBed.createComponent(RunVerdict);
    await fixture.whenStable();
    return (fixture.nativeElement as HTMLElement).textContent.replaceAll(/\s+/g, ' ').trim();
  }

  it('is empty before the first run', async () => {
    expect(await textWith(null)).toBe('');
  });

  it('counts the dropped frames of a run', async () => {
    const text = await textWith(recordOf((frame) => ({ dropped: frame % 4 === 0 })));
    expect(text).toContain('Drops frames');
    expect(text).toContain('60 frames of 240 dropped');
  });

  it('is real time with one dropped frame in a hundred', async () => {
    const text = await textWith(recordOf((frame) => ({ dropped: frame % 120 === 50 })));
    expect(text).toContain('Plays in real time');
    expect(text).toContain('2 frames of 240 dropped');
  });

  it('is not real time where one second drops more than a tenth of its frames', async () => {
    const text = await textWith(recordOf((frame) => ({ dropped: frame > 100 && frame < 104 })));
    expect(text).toContain('Drops frames');
  });

  it('names what has changed since the last run', async () => {
    store.overrideSelector(selectPlayedRuns, {
      ...nothing,
      outdated: { run: recordOf(() => ({})), changed: ['cuts'] },
    });
    expect(await textWith(null)).toMatch(/Not played since it was changed.*clips/);
  });
});
