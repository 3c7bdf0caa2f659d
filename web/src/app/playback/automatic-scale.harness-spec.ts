import { signal } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { MockStore, provideMockStore } from '@ngrx/store/testing';
import { FIRST_TUNING, type PreviewScale, type Tuning } from '@hone/core/levers';
import { FrameLog } from '@hone/core/playback';
import { alone } from '@hone/core/testing';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { Predictions } from '../prediction/predictions';
import { playbackFeature } from '../state/playback.feature';
import { selectTimeline } from '../state/selectors';
import { AutomaticScale } from './automatic-scale';
import { Levers } from './levers';
import { Playback } from './playback';
import { RunLogs } from './run-logs';

const FRAMES = 480;

describe('the automatic preview scale', () => {
  const tuning = signal<Tuning>({ ...FIRST_TUNING, autoScale: true });
  const predicted = signal<PreviewScale | null>(null);
  const live = signal<FrameLog | null>(null);
  const playback = { playhead: 0 };
  let store: MockStore;

  /** Plays for so many seconds, in which a share of the frames is dropped. */
  function playOn(seconds: number, dropShare: number): void {
    const [from, to] = [playback.playhead, playback.playhead + 24 * seconds];
    for (let frame = from; frame < to; frame++) {
      live()!.set(frame, 'settled', 1);
      live()!.set(frame, 'shown', (frame - from) / (to - from) < dropShare ? NaN : frame);
    }
    playback.playhead = to;
    vi.advanceTimersByTime(1000 * seconds);
  }
  function become(state: 'playing' | 'still'): void {
    store.overrideSelector(playbackFeature.selectState, state);
    store.refreshState();
    TestBed.tick();
  }

  beforeEach(() => {
    vi.useFakeTimers();
    tuning.set({ ...FIRST_TUNING, autoScale: true });
    predicted.set(null);
    live.set(FrameLog.empty(0, FRAMES));
    playback.playhead = 0;
    TestBed.configureTestingModule({
      providers: [
        AutomaticScale,
        provideMockStore({
          selectors: [
            { selector: playbackFeature.selectState, value: 'still' },
            { selector: selectTimeline, value: alone('s') },
          ],
        }),
        {
          provide: Levers,
          useValue: {
            tuning,
            move: (change: Partial<Tuning>) => tuning.update((each) => ({ ...each, ...change })),
          },
        },
        { provide: Predictions, useValue: { automaticScale: predicted } },
        { provide: Playback, useValue: playback },
        { provide: RunLogs, useValue: { live } },
      ],
    });
    store = TestBed.inject(MockStore);
    TestBed.inject(AutomaticScale);
    TestBed.tick();
  });

  afterEach(() => vi.useRealTimers());

  it('is that of the prediction at rest, and stays during a run that shows its frames', () => {
    predicted.set(2);
    TestBed.tick();
    expect(tuning().playScale).toBe(2);
    become('playing');
    predicted.set(1);
    playOn(4, 0.05);
    TestBed.tick();
    expect(tuning().playScale).toBe(2);
    become('still');
    expect(tuning().playScale).toBe(1);
  });

  it('is lowered at most every two seconds while frames are dropped, and stays so on this timeline', () => {
    become('playing');
    playOn(1, 0.9);
    expect(tuning().playScale).toBe(4);
    playOn(1, 0.9);
    expect(tuning().playScale).toBe(8);
    playOn(4, 0);
    expect(tuning().playScale).toBe(8);
    become('still');
    predicted.set(2);
    TestBed.tick();
    expect(tuning().playScale).toBe(8);
    store.overrideSelector(selectTimeline, alone('t'));
    store.refreshState();
    TestBed.tick();
    expect(tuning().playScale).toBe(2);
  });

  it('moves nothing where it is not automatic', () => {
    tuning.set(FIRST_TUNING);
    predicted.set(1);
    TestBed.tick();
    become('playing');
    playOn(6, 0.9);
    expect(tuning()).toEqual(FIRST_TUNING);
  });
});
