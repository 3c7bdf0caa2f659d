import { HarnessLoader } from '@angular/cdk/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { ComponentFixture, TestBed } from '@angular/core/testing';
import { MatButtonHarness } from '@angular/material/button/testing';
import { MatButtonToggleHarness } from '@angular/material/button-toggle/testing';
import { MatSlideToggleHarness } from '@angular/material/slide-toggle/testing';
import type { Action } from '@ngrx/store';
import { MockStore, provideMockStore } from '@ngrx/store/testing';
import type { LightCopy } from '@hone/core/api';
import { FIRST_TUNING } from '@hone/core/levers';
import { alone, readySource } from '@hone/core/testing';
import { skip } from 'rxjs';
import { beforeEach, describe, expect, it } from 'vitest';
import { Api } from '../api/api';
import { CopyActions, ProjectActions } from '../state/actions';
import { mediaFeature } from '../state/media.feature';
import { selectCopyRows, selectTimeline, selectTuning, type CopyRow } from '../state/selectors';
import { CopyBoard } from './copy-board';

const estimate = (sourceId: string, bytes: number) => ({
  ...{ sourceId, divisor: 4 as const, bytes, seconds: 30, width: 960, height: 540 },
  sampledFrames: 24,
});
const row = (id: string, other: Partial<CopyRow> = {}): CopyRow => ({
  source: readySource(id, undefined, { name: `${id}.mov` }),
  ...{ copy: null, others: [], job: null, divisor: 4, size: { width: 960, height: 540 }, estimate: null },
  ...other,
});
const STALE = {
  ...{ id: 'old', sourceId: 'a', projectId: 'p', divisor: 2, format: 'intra H.264', folder: '/copies' },
  ...{ state: 'stale', width: 1920, height: 1080, alphaRow: null, bytes: 3e9, likeness: null, madeInMs: 1 },
} satisfies LightCopy;

describe('the board of light copies', () => {
  let fixture: ComponentFixture<CopyBoard>;
  let loader: HarnessLoader;
  let dispatched: Action[];
  let freeBytes: number;

  beforeEach(() => {
    freeBytes = 50e9;
    TestBed.configureTestingModule({
      imports: [CopyBoard],
      providers: [
        provideMockStore({
          selectors: [
            { selector: selectTuning, value: FIRST_TUNING },
            { selector: selectTimeline, value: { ...alone('a'), size: { width: 3840, height: 2160 } } },
            { selector: selectCopyRows, value: [row('a', { others: [STALE] }), row('b')] },
            { selector: mediaFeature.selectEstimating, value: false },
          ],
        }),
        { provide: Api, useValue: { copyRoom: () => Promise.resolve({ freeBytes }) } },
      ],
    });
    dispatched = [];
    TestBed.inject(MockStore)
      .scannedActions$.pipe(skip(1))
      .subscribe((action) => dispatched.push(action));
    fixture = TestBed.createComponent(CopyBoard);
    loader = TestbedHarnessEnvironment.loader(fixture);
  });

  const text = (): string => (fixture.nativeElement as HTMLElement).textContent;
  const button = (name: RegExp): Promise<MatButtonHarness> =>
    loader.getHarness(MatButtonHarness.with({ text: name }));
  function measured(bytes: number): void {
    const rows = [row('a', { estimate: estimate('a', bytes) }), row('b', { estimate: estimate('b', bytes) })];
    const store = TestBed.inject(MockStore);
    store.overrideSelector(selectCopyRows, rows);
    store.refreshState();
  }

  it('measures time and size of all copies before it makes them', async () => {
    await (await button(/^Make 2 light copies …/)).click();
    expect(dispatched).toEqual([CopyActions.estimateAsked({ sourceIds: ['a', 'b'], divisor: 4 })]);
    expect(await (await button(/^Make 2 light copies$/)).isDisabled()).toBe(true);
    measured(205e6);
    const make = await button(/^Make 2 light copies$/);
    expect(text()).toContain('About 1 min · 410 MB of 50 GB free');
    await make.click();
    expect(dispatched.at(-1)).toEqual(CopyActions.asked({ sourceIds: ['a', 'b'], divisor: 4 }));
  });

  it('makes none that do not fit on the drive', async () => {
    freeBytes = 300e6;
    await (await button(/^Make 2 light copies …/)).click();
    measured(205e6);
    expect(await (await button(/^Make 2 light copies$/)).isDisabled()).toBe(true);
    expect(text()).toContain('not enough room on the drive');
  });

  it('lists stale copies, and deletes them', async () => {
    await fixture.whenStable();
    expect(text()).toContain('1920 × 1080 · 3 GB · stale: its source has changed');
    await (await button(/^Delete$/)).click();
    expect(dispatched).toEqual([CopyActions.removed({ copyId: 'old' })]);
  });

  it('sets the size of copies, and whether import makes them', async () => {
    const half = await loader.getHarness(MatButtonToggleHarness.with({ text: '1:2' }));
    await half.check();
    const atImport = await loader.getHarness(MatSlideToggleHarness.with({ label: /at import/ }));
    await atImport.check();
    expect(dispatched).toEqual([
      ProjectActions.leverMoved({ tuning: { ...FIRST_TUNING, copyScale: 2 } }),
      ProjectActions.leverMoved({ tuning: { ...FIRST_TUNING, copiesAtImport: true } }),
    ]);
  });
});
