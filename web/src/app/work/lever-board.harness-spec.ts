import { HarnessLoader } from '@angular/cdk/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { signal } from '@angular/core';
import { ComponentFixture, TestBed } from '@angular/core/testing';
import { MatButtonHarness } from '@angular/material/button/testing';
import { MatButtonToggleGroupHarness, MatButtonToggleHarness } from '@angular/material/button-toggle/testing';
import { MatSlideToggleHarness } from '@angular/material/slide-toggle/testing';
import type { Action } from '@ngrx/store';
import { MockStore, provideMockStore } from '@ngrx/store/testing';
import type { Job, LightCopy } from '@hone/core/api';
import { FIRST_TUNING, type Tuning } from '@hone/core/levers';
import { alone, readySource } from '@hone/core/testing';
import { skip } from 'rxjs';
import { beforeEach, describe, expect, it } from 'vitest';
import { CopyActions, ProjectActions } from '../state/actions';
import { machineFeature } from '../state/machine.feature';
import { mediaFeature } from '../state/media.feature';
import { playbackFeature } from '../state/playback.feature';
import { projectFeature } from '../state/project.feature';
import {
  selectComposeOn,
  selectCopyRows,
  selectLength,
  selectPlan,
  selectTimeline,
  selectTuning,
  type CopyRow,
} from '../state/selectors';
import { Predictions } from '../prediction/predictions';
import { Api } from '../api/api';
import { LeverBoard } from './lever-board';
import { TimelineEditor } from './timeline-editor';

const BLUR = { id: 'e', kind: 'blur', enabled: true, values: {} } as const;
const UHD = { ...alone('s', { effects: [BLUR] }), size: { width: 3840, height: 2160 } };
const ROW: CopyRow = {
  source: readySource('s', undefined, { name: 'mill.mov' }),
  copy: null,
  others: [],
  job: null,
  divisor: 2,
  size: { width: 1920, height: 1080 },
  estimate: null,
};
const COPY: LightCopy = {
  id: 'copy',
  sourceId: 's',
  projectId: 'p',
  divisor: 2,
  format: 'intra-h264',
  folder: '/copies',
  state: 'ready',
  width: 1920,
  height: 1080,
  alphaRow: null,
  bytes: 2e9,
  likeness: null,
  madeInMs: 9000,
};
const LIMIT = { quotaBytes: 20e9, freeBytes: 55e9, folder: '/render-cache', chosenFolder: null };
const JOB: Job = {
  id: 'job',
  projectId: 'p',
  kind: 'copy',
  title: 'Light copy of mill.mov',
  subjectId: 'copy',
  state: 'running',
  progress: 0.4,
  secondsLeft: 12,
  problem: null,
  createdAt: '2026-01-01T00:00:00Z',
};

describe('the lever board', () => {
  let fixture: ComponentFixture<LeverBoard>;
  let loader: HarnessLoader;
  let dispatched: Action[];
  const tuning: Tuning = { ...FIRST_TUNING, playScale: 4, restScale: 1, lightCopies: false };

  beforeEach(() => {
    TestBed.configureTestingModule({
      imports: [LeverBoard],
      providers: [
        provideMockStore({
          selectors: [
            { selector: selectTuning, value: tuning },
            { selector: selectTimeline, value: UHD },
            { selector: selectCopyRows, value: [ROW] },
            { selector: selectPlan, value: null },
            { selector: machineFeature.selectOwn, value: null },
            { selector: selectComposeOn, value: 'processor' },
            { selector: mediaFeature.selectSourceList, value: [] },
            { selector: selectLength, value: 48 },
            { selector: projectFeature.selectPast, value: [] },
            { selector: projectFeature.selectList, value: [] },
            { selector: playbackFeature.selectRuns, value: [] },
            { selector: mediaFeature.selectStretchList, value: [] },
            { selector: playbackFeature.selectFrame, value: 0 },
            { selector: playbackFeature.selectInFrame, value: null },
            { selector: playbackFeature.selectOutFrame, value: null },
          ],
        }),
        {
          provide: Api,
          useValue: {
            renderCacheSettings: () => Promise.resolve(LIMIT),
            savedTunings: () => Promise.resolve([]),
          },
        },
        { provide: TimelineEditor, useValue: { ids: signal(new Set()) } },
        {
          provide: Predictions,
          useValue: {
            ...{ predicted: signal(null), recommendations: signal(null) },
            ...{ isStill: signal(true), isWhatIf: signal(false) },
          },
        },
      ],
    });
    dispatched = [];
    TestBed.inject(MockStore)
      .scannedActions$.pipe(skip(1))
      .subscribe((action) => dispatched.push(action));
    fixture = TestBed.createComponent(LeverBoard);
    loader = TestbedHarnessEnvironment.loader(fixture);
  });

  const groupOf = (label: string): Promise<MatButtonToggleGroupHarness> =>
    loader.getHarness(MatButtonToggleGroupHarness.with({ selector: `[aria-label="${label}"]` }));
  const checkedIn = async (group: MatButtonToggleGroupHarness): Promise<string[]> =>
    Promise.all((await group.getToggles({ checked: true })).map((each) => each.getText()));
  const moved = (change: Partial<Tuning>): Action =>
    ProjectActions.leverMoved({ tuning: { ...tuning, ...change } });

  it('leaves tracks out while playing, and sets the scale by itself', async () => {
    const [{ name, id }] = UHD.tracks.filter(({ clips }) => clips.length) as [(typeof UHD.tracks)[number]];
    const group = await groupOf(`${name} while playing`);
    const [off] = await group.getToggles({ text: 'Picture off' });
    await off!.check();
    const auto = await loader.getHarness(MatSlideToggleHarness.with({ label: /Automatic/ }));
    await auto.check();
    const listen = await loader.getHarness(MatSlideToggleHarness.with({ label: /Listen only/ }));
    await listen.check();
    expect(dispatched).toEqual([
      moved({ tracksOff: [id] }),
      moved({ autoScale: true }),
      moved({ listenOnly: true }),
    ]);
  });

  it('shows the position of each lever', async () => {
    expect(await checkedIn(await groupOf('Preview scale, playing'))).toEqual(['1:4']);
    expect(await checkedIn(await groupOf('Preview scale, at rest'))).toEqual(['1:1']);
    expect(await checkedIn(await groupOf('Working size'))).toEqual(['2160']);
    expect(await checkedIn(await groupOf('Effect bypass'))).toEqual([]);
    expect(await (await loader.getHarness(MatSlideToggleHarness)).isChecked()).toBe(false);
  });

  it('moves each lever alone', async () => {
    const press = async (label: string, text: string): Promise<void> => {
      const [toggle] = await (await groupOf(label)).getToggles({ text });
      await toggle!.check();
    };
    await press('Preview scale, playing', '1:8');
    await press('Preview scale, at rest', '1:2');
    await press('Working size', '1080');
    await press('Effect bypass', 'Blur');
    await press('Composing', 'Graphics processor');
    await (await loader.getHarness(MatSlideToggleHarness.with({ label: 'Play from light copies' }))).check();
    expect(dispatched).toEqual([
      moved({ playScale: 8 }),
      moved({ restScale: 2 }),
      moved({ workingLines: 1080 }),
      moved({ bypass: ['blur'] }),
      moved({ composeOn: 'graphics processor' }),
      moved({ lightCopies: true }),
    ]);
  });

  it.each([
    ['Make a copy of mill.mov', ROW, CopyActions.asked({ sourceIds: ['s'], divisor: 2 })],
    ['Delete the copy of mill.mov', { ...ROW, copy: COPY }, CopyActions.removed({ copyId: 'copy' })],
    [
      'Cancel the copy of mill.mov',
      { ...ROW, copy: { ...COPY, state: 'making' }, job: JOB },
      ProjectActions.jobCancelled({ jobId: 'job' }),
    ],
  ] as const)('has a button: %s', async (label, row, action) => {
    TestBed.inject(MockStore).overrideSelector(selectCopyRows, [row]);
    await (await loader.getHarness(MatButtonHarness.with({ selector: `[aria-label="${label}"]` }))).click();
    expect(dispatched).toEqual([action]);
  });

  it('folds and unfolds', async () => {
    await fixture.whenStable();
    const fold = (fixture.nativeElement as HTMLElement).querySelector<HTMLButtonElement>('button.fold')!;
    expect(fold.getAttribute('aria-expanded')).toBe('true');
    fold.click();
    await fixture.whenStable();
    expect(fold.getAttribute('aria-expanded')).toBe('false');
    expect(await loader.getAllHarnesses(MatButtonToggleHarness)).toHaveLength(0);
  });
});
