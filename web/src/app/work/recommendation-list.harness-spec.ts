import { HarnessLoader } from '@angular/cdk/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { ComponentFixture, TestBed } from '@angular/core/testing';
import { MatButtonHarness } from '@angular/material/button/testing';
import type { Action } from '@ngrx/store';
import { MockStore, provideMockStore } from '@ngrx/store/testing';
import type { LeverChange, Recommendation } from '@hone/core/findings';
import { FIRST_TUNING } from '@hone/core/levers';
import { skip } from 'rxjs';
import { beforeEach, describe, expect, it } from 'vitest';
import { CopyActions, ProjectActions, RenderCacheActions } from '../state/actions';
import { mediaFeature } from '../state/media.feature';
import { selectTuning } from '../state/selectors';
import { RecommendationList } from './recommendation-list';

const recommendation = (change: LeverChange, helps = true): Recommendation => ({
  change,
  aim: 'playing',
  framesPerSecond: { before: 10.4, after: helps ? 24 : 10.6 },
  waitMs: null,
  isRealTime: helps,
  helps,
  loadPercent: { before: 180, after: helps ? 60 : 175, stage: 'decode' },
  pixels: { width: 480, height: 270 },
  price: null,
});

const COPIES: LeverChange = {
  lever: 'make copies',
  copies: [
    { sourceId: 'a', divisor: 2 },
    { sourceId: 'b', divisor: 4 },
  ],
};

describe('recommendations', () => {
  let fixture: ComponentFixture<RecommendationList>;
  let loader: HarnessLoader;
  let dispatched: Action[];

  beforeEach(() => {
    TestBed.configureTestingModule({
      imports: [RecommendationList],
      providers: [
        provideMockStore({
          selectors: [
            { selector: selectTuning, value: { ...FIRST_TUNING, lightCopies: false } },
            { selector: mediaFeature.selectEstimates, value: [] },
          ],
        }),
      ],
    });
    dispatched = [];
    TestBed.inject(MockStore)
      .scannedActions$.pipe(skip(1))
      .subscribe((action) => dispatched.push(action));
    fixture = TestBed.createComponent(RecommendationList);
    loader = TestbedHarnessEnvironment.loader(fixture);
  });

  const show = (...recommendations: Recommendation[]): void =>
    fixture.componentRef.setInput('recommendations', recommendations);
  const textOf = (): string => (fixture.nativeElement as HTMLElement).textContent;

  it('offer a lever that helps, with its predicted result and its price', async () => {
    show(recommendation({ lever: 'preview scale', playScale: 8 }));
    const button = await loader.getHarness(MatButtonHarness);
    const text = await button.getText();
    expect(text).toContain('Lower the preview scale to 1:8');
    expect(text).toContain('480');
    expect(text).toMatch(/10\.4 → 24\.?0? frames\/s/);
    await button.click();
    expect(dispatched).toEqual([
      ProjectActions.leverMoved({ tuning: { ...FIRST_TUNING, lightCopies: false, playScale: 8 } }),
    ]);
  });

  it('say in words why another lever does not help, without a button', async () => {
    show(recommendation({ lever: 'preview scale', playScale: 8 }, false));
    expect(await loader.getAllHarnesses(MatButtonHarness)).toHaveLength(0);
    // The scale does not change the work of decoding.
    expect(textOf()).toMatch(/decode takes 180\s% of the frame budget with or without it/);
  });

  it('make copies by size, and play from them', async () => {
    show(recommendation(COPIES));
    await (await loader.getHarness(MatButtonHarness)).click();
    expect(dispatched).toEqual([
      ProjectActions.leverMoved({ tuning: { ...FIRST_TUNING, lightCopies: true } }),
      CopyActions.asked({ sourceIds: ['a'], divisor: 2 }),
      CopyActions.asked({ sourceIds: ['b'], divisor: 4 }),
    ]);
  });

  it('render the frames that drop, for the price that is expected', async () => {
    const ranges = [
      { from: 10, to: 40 },
      { from: 90, to: 100 },
    ];
    show({ ...recommendation({ lever: 'render stretches', ranges }), price: { seconds: 12, bytes: 4e6 } });
    const button = await loader.getHarness(MatButtonHarness);
    expect(await button.getText()).toMatch(/Render 40 frames in advance.*about 12 s · 4/);
    await button.click();
    expect(dispatched).toEqual([RenderCacheActions.renderAsked({ ranges })]);
  });

  it('show the price of copies once every sample is measured', async () => {
    show(recommendation(COPIES));
    const button = await loader.getHarness(MatButtonHarness);
    expect(await button.getText()).not.toContain('GB');
    const estimate = (sourceId: string, divisor: 2 | 4) => ({
      sourceId,
      divisor,
      seconds: 30,
      bytes: 2e9,
      sampledFrames: 12,
      width: 960,
      height: 540,
    });
    const store = TestBed.inject(MockStore);
    store.overrideSelector(mediaFeature.selectEstimates, [estimate('a', 2), estimate('b', 4)]);
    store.refreshState();
    expect(await button.getText()).toMatch(/60 s|1 min/);
    expect(await button.getText()).toContain('GB');
  });

  it('are disabled for another machine, and say so', async () => {
    fixture.componentRef.setInput('isElsewhere', true);
    show(recommendation({ lever: 'play from copies' }));
    expect(await (await loader.getHarness(MatButtonHarness)).isDisabled()).toBe(true);
    expect(textOf()).toContain('on that machine');
  });
});
