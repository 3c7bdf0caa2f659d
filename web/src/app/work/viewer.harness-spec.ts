import { HarnessLoader } from '@angular/cdk/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { ComponentFixture, TestBed } from '@angular/core/testing';
import { MatButtonHarness } from '@angular/material/button/testing';
import { MockStore, provideMockStore } from '@ngrx/store/testing';
import { alone } from '@hone/core/testing';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { Playback } from '../playback/playback';
import { playbackFeature } from '../state/features';
import { selectLength, selectPlate, selectTimeline } from '../state/selectors';
import { Viewer } from './viewer';

describe('the transport', () => {
  let fixture: ComponentFixture<Viewer>;
  let loader: HarnessLoader;
  let store: MockStore;
  const playback = { attach: vi.fn(), seek: vi.fn(), step: vi.fn(), toggle: vi.fn(), playhead: 30 };

  beforeEach(() => {
    vi.clearAllMocks();
    TestBed.configureTestingModule({
      imports: [Viewer],
      providers: [
        provideMockStore({
          selectors: [
            { selector: selectTimeline, value: { ...alone('s'), startFrame: 86_400 } },
            { selector: selectLength, value: 240 },
            { selector: selectPlate, value: null },
            { selector: playbackFeature.selectState, value: 'still' },
            { selector: playbackFeature.selectInFrame, value: 24 },
            { selector: playbackFeature.selectOutFrame, value: null },
          ],
        }),
        { provide: Playback, useValue: playback },
      ],
    });
    store = TestBed.inject(MockStore);
    fixture = TestBed.createComponent(Viewer);
    loader = TestbedHarnessEnvironment.loader(fixture);
  });

  const press = async (filter: { text?: string; selector?: string }): Promise<void> =>
    (await loader.getHarness(MatButtonHarness.with(filter))).click();

  it('goes to the first frame, steps, and plays', async () => {
    await press({ selector: '[aria-label="To the first frame"]' });
    await press({ selector: '[aria-label="One frame back"]' });
    await press({ selector: '[aria-label="One frame forward"]' });
    await press({ text: 'Play' });
    expect(playback.seek).toHaveBeenCalledExactlyOnceWith(0);
    expect(playback.step.mock.calls).toEqual([[-1], [1]]);
    expect(playback.toggle).toHaveBeenCalledOnce();
  });

  it('stops what plays', async () => {
    store.overrideSelector(playbackFeature.selectState, 'playing');
    store.refreshState();
    await press({ text: 'Stop' });
    expect(playback.toggle).toHaveBeenCalledOnce();
  });

  it('tells that it waits for the first frames', async () => {
    store.overrideSelector(playbackFeature.selectState, 'starting');
    store.refreshState();
    await fixture.whenStable();
    const status = (fixture.nativeElement as HTMLElement).querySelector('[role=status]');
    expect(status?.textContent).toContain('first frames');
  });

  it('shows the length and the in point as timecode that starts with the timeline', async () => {
    await fixture.whenStable();
    const text = (fixture.nativeElement as HTMLElement).textContent;
    expect(text).toContain('of 01:00:10:00');
    expect(text).toContain('in 01:00:01:00');
  });
});
