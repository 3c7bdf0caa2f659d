import { Component, computed, inject, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { MatButtonModule } from '@angular/material/button';
import { Store } from '@ngrx/store';
import type { Source } from '@hone/core/api';
import { partOf, type Placeable, type PlaceMode } from '@hone/core/timeline';
import { AutomaticScale } from '../playback/automatic-scale';
import { Playback } from '../playback/playback';
import { count } from '../formatting/quantities';
import { mediaFeature } from '../state/media.feature';
import { playbackFeature } from '../state/playback.feature';
import { projectFeature } from '../state/project.feature';
import { PlayerActions } from '../state/actions';
import {
  selectLength,
  selectProject,
  selectSources,
  selectSubject,
  selectTimeline,
  selectUsedIds,
} from '../state/selectors';
import { editingFeature } from '../state/editing.feature';
import { EffectPanel } from '../effects/effect-panel';
import { ColumnSplitter, storedWidth } from './column-splitter';
import { FindingList } from './finding-list';
import { LeverBoard } from './lever-board';
import { PlayheadTicker } from './playhead-ticker';
import { AddFootage } from '../sources/add-footage';
import { SourcePlacement } from '../sources/source-placement';
import { ProjectList } from '../projects/project-list';
import { RenderAtRest } from './render-at-rest';
import { RunFigures } from './run-figures';
import { TimelineEditor } from './timeline-editor';
import { TimelineView } from './timeline-view';
import { Verdict } from './verdict';
import { Viewer } from './viewer';
import { WorkKeys } from './work-keys';

/** Two columns: viewer, timeline and loads on one axis; verdict, findings and levers beside them. */
@Component({
  selector: 'hone-work-page',
  imports: [
    AddFootage,
    ColumnSplitter,
    EffectPanel,
    FindingList,
    LeverBoard,
    ProjectList,
    RunFigures,
    TimelineView,
    Verdict,
    Viewer,
    RouterLink,
    MatButtonModule,
  ],
  providers: [AutomaticScale, Playback, PlayheadTicker, RenderAtRest, TimelineEditor, WorkKeys],
  templateUrl: './work-page.html',
  styleUrl: './work-page.scss',
  host: {
    '(document:keydown)': 'keys.press($event)',
    '(click)': 'keys.release()',
    '[style.--diagnosis.px]': 'width()',
  },
})
export class WorkPage {
  private readonly store = inject(Store);
  readonly keys = inject(WorkKeys);
  /** Width of the diagnosis column, CSS pixels. */
  readonly width = signal(storedWidth());
  readonly project = this.store.selectSignal(selectProject);
  readonly opening = this.store.selectSignal(projectFeature.selectOpening);
  private readonly length = this.store.selectSignal(selectLength);
  private readonly sources = this.store.selectSignal(selectSources);
  readonly subject = this.store.selectSignal(selectSubject);
  readonly effectsOpen = this.store.selectSignal(editingFeature.selectEffectsOpen);
  readonly isEmpty = computed(() => this.length() === 0);
  private readonly used = this.store.selectSignal(selectUsedIds);
  /** Sources of the clips on the timeline; the page Sources shows the faults of others. */
  private readonly onTimeline = computed(() => this.sources().filter(({ id }) => this.used().has(id)));
  readonly expected = computed(() => this.onTimeline().filter(({ state }) => state === 'expected'));
  readonly missing = computed(() =>
    this.onTimeline().filter(({ state }) => state === 'missing' || state === 'unreadable'),
  );

  constructor() {
    inject(AutomaticScale);
    inject(RenderAtRest);
  }

  private readonly toPlace = this.store.selectSignal(mediaFeature.selectToPlace);
  /** That footage is on its way to the timeline; null when none is. */
  readonly reading = computed(() => {
    const ids = new Set(this.toPlace());
    const waiting = this.sources().filter(({ id, state }) => ids.has(id) && state === 'expected');
    return waiting.length ? `Reading ${count(waiting.length, 'file', 'files')} for the timeline …` : null;
  });

  private readonly placement = inject(SourcePlacement);
  private readonly solo = this.store.selectSignal(selectTimeline);
  private readonly inFrame = this.store.selectSignal(playbackFeature.selectInFrame);
  private readonly outFrame = this.store.selectSignal(playbackFeature.selectOutFrame);
  /** Frames of the source that is played alone which go on the timeline. */
  private readonly part = computed(() => {
    const last = this.length() - 1;
    return {
      first: this.inFrame() ?? 0,
      last: this.outFrame() ?? last,
      isWhole: this.inFrame() === null && this.outFrame() === null,
    };
  });
  readonly partText = computed(() => {
    const { first, last, isWhole } = this.part();
    if (isWhole) return 'The whole source goes on the timeline; in and out point cut it.';
    return `${count(last - first + 1, 'frame', 'frames')} between in and out point go on the timeline.`;
  });

  append(source: Source): void {
    this.placement.append([source], this.cut());
  }

  place(source: Source, mode: PlaceMode): void {
    this.placement.place([source], mode, this.cut());
  }

  private cut(): ((source: Placeable) => Placeable) | undefined {
    const { first, last, isWhole } = this.part();
    const rate = this.solo()?.rate;
    return isWhole || !rate ? undefined : (source) => partOf(source, rate, first, last);
  }

  toTimeline(): void {
    this.store.dispatch(PlayerActions.subjectChosen({ sourceId: null }));
  }
}
