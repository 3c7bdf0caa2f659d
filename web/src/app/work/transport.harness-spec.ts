import { HarnessLoader } from '@angular/cdk/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { ComponentFixture, TestBed } from '@angular/core/testing';
import { signal } from '@angular/core';
import { MatButtonHarness } from '@angular/material/button/testing';
import { MatSelectHarness } from '@angular/material/select/testing';
import { MatSliderHarness } from '@angular/material/slider/testing';
import type { Action } from '@ngrx/store';
import { MockStore, provideMockStore } from '@ngrx/store/testing';
import { FIRST_TUNING } from '@hone/core/levers';
import { alone } from '@hone/core/testing';
import { skip } from 'rxjs';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { Playback } from '../playback/playback';
import { ProjectActions } from '../state/actions';
import { playbackFeature } from '../state/playback.feature';
import { selectLength, selectTimeline, selectTuning } from '../state/selectors';
import { PlayheadTicker } from './playhead-ticker';
import { Transport } from './transport';

describe('the transport', () => {
  let fixture: ComponentFixture<Transport>;
  let loader: HarnessLoader;
  let store: MockStore;
  const playback = {
    ...{ seek: vi.fn(), step: vi.fn(), toggle: vi.fn(), toggleMuted: vi.fn(), setVolume: vi.fn() },
    ...{ muted: signal(false), volume: signal(0.5), playhead: 30, isMoving: false },
  };
  let dispatched: Action[];

  beforeEach(() => {
    vi.clearAllMocks();
    TestBed.configureTestingModule({
      imports: [Transport],
      providers: [
        provideMockStore({
          selectors: [
            { selector: selectTimeline, value: { ...alone('s'), startFrame: 86_400 } },
            { selector: selectLength, value: 240 },
            { selector: selectTuning, value: FIRST_TUNING },
            { selector: playbackFeature.selectState, value: 'still' },
            { selector: playbackFeature.selectInFrame, value: 24 },
            { selector: playbackFeature.selectOutFrame, value: null },
          ],
        }),
        { provide: Playback, useValue: playback },
        PlayheadTicker,
      ],
    });
    store = TestBed.inject(MockStore);
    dispatched = [];
    store.scannedActions$.pipe(skip(1)).subscribe((action) => dispatched.push(action));
    fixture = TestBed.createComponent(Transport);
    loader = TestbedHarnessEnvironment.loader(fixture);
  });

  const press = async (label: string): Promise<void> =>
    (await loader.getHarness(MatButtonHarness.with({ selector: `[aria-label="${label}"]` }))).click();

  it('goes to the first frame, steps, and plays', async () => {
    await press('To the first frame');
    await press('One frame back');
    await press('One frame forward');
    await press('Play');
    expect(playback.seek).toHaveBeenCalledExactlyOnceWith(0);
    expect(playback.step.mock.calls).toEqual([[-1], [1]]);
    expect(playback.toggle).toHaveBeenCalledOnce();
  });

  it('stops what plays', async () => {
    store.overrideSelector(playbackFeature.selectState, 'playing');
    store.refreshState();
    await press('Stop');
    expect(playback.toggle).toHaveBeenCalledOnce();
  });

  it('sets the preview scale and the files that it is played from', async () => {
    const [scale, files] = await loader.getAllHarnesses(MatSelectHarness);
    expect(await scale!.getValueText()).toBe('1:4');
    await scale!.clickOptions({ text: /^1:2/ });
    await files!.clickOptions({ text: 'Originals' });
    expect(dispatched).toEqual([
      ProjectActions.leverMoved({ tuning: { ...FIRST_TUNING, playScale: 2 } }),
      ProjectActions.leverMoved({ tuning: { ...FIRST_TUNING, lightCopies: false } }),
    ]);
  });

  it('mutes the preview and sets its volume, which is no edit', async () => {
    await press('Mute the preview');
    expect(playback.toggleMuted).toHaveBeenCalledOnce();
    const thumb = await (await loader.getHarness(MatSliderHarness)).getEndThumb();
    expect(await thumb.getValue()).toBe(0.5);
    await thumb.setValue(0.25);
    expect(playback.setVolume).toHaveBeenCalledWith(0.25);
    expect(dispatched).toEqual([]);
  });

  it('shows the length and the in point as timecode that starts with the timeline', async () => {
    await fixture.whenStable();
    const text = (fixture.nativeElement as HTMLElement).textContent;
    expect(text).toContain('of 01:00:10:00');
    expect(text).toContain('in 01:00:01:00');
  });
});
