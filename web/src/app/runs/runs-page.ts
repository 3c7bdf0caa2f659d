import { Component, computed, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { Store } from '@ngrx/store';
import type { RunRecord, ScrubRecord } from '@hone/core/api';
import { isRealTime } from '@hone/core/playback';
import { PlayerActions } from '../state/actions';
import { mediaFeature } from '../state/media.feature';
import { playbackFeature } from '../state/playback.feature';
import { selectBefore, selectRun } from '../state/selectors';
import { withoutText } from '../formatting/recommendation-words';
import { playedFrom } from '../formatting/run-words';
import { framesPerSecond, milliseconds, perCent, scaleText } from '../formatting/quantities';
import { DropStrip } from './drop-strip';
import { RunComparison } from './run-comparison';
import { RunDetail } from './run-detail';

/** All runs of the project: one opened, or any two on one axis; and how scrubbing answered. */
@Component({
  selector: 'hone-runs-page',
  imports: [DropStrip, MatButtonModule, RunComparison, RunDetail],
  templateUrl: './runs-page.html',
  styleUrl: './runs-page.scss',
})
export class RunsPage {
  private readonly store = inject(Store);
  private readonly sources = this.store.selectSignal(mediaFeature.selectSourcesById);
  readonly runs = this.store.selectSignal(playbackFeature.selectRuns);
  readonly scrubs = this.store.selectSignal(playbackFeature.selectScrubs);
  readonly run = this.store.selectSignal(selectRun);
  readonly before = this.store.selectSignal(selectBefore);
  readonly comparing = signal(false);
  readonly heads = [
    'At',
    'Verdict',
    'Of',
    'Scale',
    'From',
    'Shown',
    'Dropped',
    'Rate shown',
    'Predicted',
    'Longest freeze',
    'First frame',
    'Notes',
  ];
  readonly canCompare = computed(() => this.run() !== null && this.before() !== null);

  cells({ startedAt, facts, summary, notes }: RunRecord): string[] {
    return [
      timeText(startedAt),
      isRealTime(summary) ? 'plays in real time' : 'drops frames',
      this.subjectText(facts.subjectId),
      scaleText(facts.tuning.playScale, facts.tuning),
      playedFrom({ facts }) + withoutText(facts.tuning),
      `${summary.shown} of ${summary.wanted}`,
      perCent(summary.dropped / Math.max(1, summary.wanted)),
      framesPerSecond(summary.framesPerSecondShown),
      facts.predicted ? framesPerSecond(facts.predicted.framesPerSecond) : '–',
      milliseconds(summary.longestFreezeMs),
      milliseconds(summary.firstFrameMs),
      notes,
    ];
  }

  scrubCells({ startedAt, facts }: ScrubRecord): string[] {
    return [
      timeText(startedAt),
      this.subjectText(facts.subjectId),
      scaleText(facts.tuning.restScale, facts.tuning),
      facts.tuning.lightCopies ? 'copies where there are any' : 'originals',
      String(facts.pictures),
      milliseconds(facts.medianMs),
      milliseconds(facts.worstTwentiethMs),
    ];
  }

  open(run: RunRecord): void {
    this.comparing.set(false);
    this.store.dispatch(PlayerActions.runsCompared({ runId: run.id, beforeId: this.before()?.id ?? null }));
  }

  compare(run: RunRecord): void {
    this.comparing.set(true);
    this.store.dispatch(PlayerActions.runsCompared({ runId: this.run()?.id ?? null, beforeId: run.id }));
  }

  remove(run: RunRecord): void {
    this.store.dispatch(PlayerActions.runRemoved({ runId: run.id }));
  }

  private subjectText(id: string | null): string {
    return id === null ? 'timeline' : (this.sources()[id]?.name ?? 'a source that is gone');
  }
}

const timeText = (iso: string): string => new Date(iso).toLocaleTimeString('en-GB');
