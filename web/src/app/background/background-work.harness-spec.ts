import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { MatButtonHarness } from '@angular/material/button/testing';
import { MatProgressBarHarness } from '@angular/material/progress-bar/testing';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { MockStore, provideMockStore } from '@ngrx/store/testing';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { PlayerActions } from '../state/actions';
import { machineFeature } from '../state/machine.feature';
import { playbackFeature } from '../state/playback.feature';
import { selectBusyJobs, selectFailedJobs } from '../state/selectors';
import { BackgroundWork } from './background-work';

describe('background work', () => {
  let store: MockStore;
  let fixture: ComponentFixture<BackgroundWork>;
  const text = (): string => (fixture.nativeElement as HTMLElement).textContent;

  beforeEach(() => {
    TestBed.configureTestingModule({
      imports: [BackgroundWork],
      providers: [
        provideMockStore({
          selectors: [
            { selector: selectBusyJobs, value: [] },
            { selector: selectFailedJobs, value: [] },
            { selector: machineFeature.selectMeasuring, value: null },
            { selector: playbackFeature.selectFilling, value: null },
          ],
        }),
      ],
    });
    store = TestBed.inject(MockStore);
    fixture = TestBed.createComponent(BackgroundWork);
    fixture.componentInstance.open.set(true);
    fixture.detectChanges();
  });

  it('says that nothing runs', () => {
    expect(text()).toContain('Nothing runs in the background');
  });

  it('tells how far the frames are that the last run dropped, and lets that be stopped', async () => {
    const dispatch = vi.spyOn(store, 'dispatch');
    store.overrideSelector(playbackFeature.selectFilling, { done: 24, all: 96, secondsLeft: 3 });
    store.refreshState();
    fixture.detectChanges();
    const loader = TestbedHarnessEnvironment.loader(fixture);
    expect(await (await loader.getHarness(MatProgressBarHarness)).getValue()).toBe(25);
    expect(text()).toContain('Making what was dropped · 24 of 96 frames are in memory · 3 s left');
    await (await loader.getHarness(MatButtonHarness.with({ text: 'Stop' }))).click();
    expect(dispatch).toHaveBeenCalledWith(PlayerActions.fillingCancelled());
  });

  it('tells no time left before it is known', () => {
    store.overrideSelector(playbackFeature.selectFilling, { done: 0, all: 96, secondsLeft: null });
    store.refreshState();
    fixture.detectChanges();
    expect(text()).toContain('0 of 96 frames are in memory.');
    expect(text()).not.toContain('left.');
  });
});
