import { signal } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { MockStore, provideMockStore } from '@ngrx/store/testing';
import type { RunRecord } from '@hone/core/api';
import { runOf } from '@hone/core/testing';
import { beforeEach, describe, expect, it } from 'vitest';
import { RunLogs } from '../playback/run-logs';
import { selectMeasuredRun, selectPlayedRuns } from '../state/selectors';
import { Predictions } from '../prediction/predictions';
import { mediaFeature } from '../state/media.feature';
import { machineFeature } from '../state/machine.feature';
import { Verdict } from './verdict';

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

const predictedOf = (fate: Fate, diagnosed?: Fate, runId: string | null = null) => ({
  ...{ rate: { num: 24, den: 1 }, coreUse: 0.5, unmeasured: [], runId },
  framesPerSecond: { low: 15, high: 19 },
  summary: runOf(fate).summary,
  diagnosed: runOf(diagnosed ?? fate).summary,
});

const poor: Fate = (frame) => ({ dropped: frame % 4 === 0 });

describe('the verdict', () => {
  let store: MockStore;
  const nothing = { last: null, before: null, beforeDiffers: [], outdated: null };
  const predictions = {
    predicted: signal<ReturnType<typeof predictedOf> | null>(null),
    isWhatIf: signal(false),
    isPending: signal(false),
    isRough: signal(false),
    rig: signal(null),
  };

  beforeEach(() => {
    predictions.predicted.set(null);
    predictions.isWhatIf.set(false);
    predictions.isRough.set(false);
    TestBed.configureTestingModule({
      imports: [Verdict],
      providers: [
        provideMockStore({
          selectors: [
            { selector: selectMeasuredRun, value: null },
            { selector: selectPlayedRuns, value: nothing },
            { selector: mediaFeature.selectCopyList, value: [] },
            {
              selector: machineFeature.selectMachineState,
              value: { loaded: [], trials: [], whatIfRigId: null },
            },
          ],
        }),
        provideRouter([]),
        { provide: Predictions, useValue: predictions },
        { provide: RunLogs, useValue: { want: () => undefined } },
      ],
    });
    store = TestBed.inject(MockStore);
  });

  async function textWith(run: RunRecord | null): Promise<string> {
    store.overrideSelector(selectMeasuredRun, run);
    const fixture = TestBed.createComponent(Verdict);
    await fixture.whenStable();
    const card = (fixture.nativeElement as HTMLElement).querySelector('section');
    return (card?.textContent ?? '').replaceAll(/\s+/g, ' ').trim();
  }

  it('is empty before the first run and the first prediction', async () => {
    expect(await textWith(null)).toBe('');
  });

  it('counts the dropped frames of a run', async () => {
    const text = await textWith(recordOf(poor));
    expect(text).toContain('Drops frames');
    expect(text).toContain('Measured: 18 of 24 frames/s; 60 frames of 240 dropped.');
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

  it('is predicted before the first run, with the range that costs leave open', async () => {
    predictions.predicted.set(predictedOf(poor));
    const text = await textWith(null);
    expect(text).toContain('Predicted to drop frames');
    expect(text).toContain('Predicted: 18 of 24 frames/s (15 to 19); 60 frames of 240 dropped, cores 50 %');
  });

  it('is the measured one alone where both are there', async () => {
    predictions.predicted.set(predictedOf(() => ({})));
    const text = await textWith(recordOf(poor));
    expect(text).toContain('Drops frames');
    expect(text).not.toContain('redicted');
  });

  it('takes measured frames where a run played a part, and predicted ones elsewhere', async () => {
    const part = recordOf(() => ({}));
    const run = { ...part, facts: { ...part.facts, wholeFrames: 10 * part.summary.wanted } };
    predictions.predicted.set(predictedOf(() => ({}), poor, run.id));
    const text = await textWith(run);
    expect(text).toContain('Partly measured: 18 of 24 frames/s; 60 frames of 240 dropped.');
    expect(text).toContain('Measured on 240 frames, 10');
  });

  it('of another machine is never a measured one', async () => {
    predictions.isWhatIf.set(true);
    predictions.predicted.set(predictedOf(() => ({})));
    const text = await textWith(recordOf(poor));
    expect(text).toContain('Predicted to play there');
    expect(text).not.toContain('Measured');
  });

  it('offers to measure the machine, unless it is being measured', async () => {
    predictions.isRough.set(true);
    predictions.predicted.set(predictedOf(poor));
    expect(await textWith(null)).toContain('Measure this machine');
    store.overrideSelector(machineFeature.selectMachineState, {
      ...{ loaded: [], trials: [], whatIfRigId: null },
      measuring: { what: 'decoding', secondsLeft: 9, share: 0.5 },
    } as never);
    const text = await textWith(null);
    expect(text).toContain('this machine is being measured');
    expect(text).not.toContain('Measure this machine');
  });

  it('names what has changed since the last run', async () => {
    predictions.predicted.set(predictedOf(poor));
    store.overrideSelector(selectPlayedRuns, {
      ...nothing,
      outdated: { run: recordOf(() => ({})), changed: ['cuts'] },
    });
    expect(await textWith(null)).toMatch(/The last run played the timeline before its clips changed/);
  });
});
