import { Component, computed, DestroyRef, inject, signal } from '@angular/core';
import type { RunRecord } from '@hone/core/api';
import { pacingSummary, type PacingSummary } from '@hone/core/playback';
import { Store } from '@ngrx/store';
import { RunLogs } from '../playback/run-logs';
import { selectPlayedBefore, selectPlayedRun, selectPlayedRuns, selectTimeline } from '../state/selectors';
import { withoutText } from '../formatting/recommendation-words';
import { playedFrom, unlikeText } from '../formatting/run-words';
import { framesPerSecond, milliseconds, perCent, scaleText } from '../formatting/quantities';

/** The figures of the last run, with those of the one before beside them. */
@Component({
  selector: 'hone-run-figures',
  template: `
    @if (rows().length) {
      <table class="figures" data-testid="figures">
        <caption class="seen-by-readers-only">
          Figures of the last run and the run before
        </caption>
        <tr>
          <th scope="col">Run</th>
          <th scope="col" class="number">before</th>
          <th scope="col" class="number">last</th>
        </tr>
        @for (row of rows(); track row.name) {
          <tr>
            <th scope="row">{{ row.name }}</th>
            <td class="number quiet">{{ row.before }}</td>
            <td class="number">
              <b>{{ row.now }}</b>
            </td>
          </tr>
        }
      </table>
    }
    @if (run(); as last) {
      @if (last.facts.clock === 'system') {
        <p class="quiet">No sound device runs, so the system clock kept time.</p>
      }
      @if (last.facts.leversMoved) {
        <p class="quiet">A lever was moved or a copy came in during this run: it mixes two tunings.</p>
      }
      @if (beforeNote(); as note) {
        <p class="quiet" data-testid="unlike">{{ note }}</p>
      }
    }
  `,
})
export class RunFigures {
  private readonly store = inject(Store);
  private readonly logs = inject(RunLogs);
  readonly run = this.store.selectSignal(selectPlayedRun);
  private readonly runs = this.store.selectSignal(selectPlayedRuns);
  private readonly before = this.store.selectSignal(selectPlayedBefore);
  private readonly timeline = this.store.selectSignal(selectTimeline);
  private readonly live = signal<PacingSummary | null>(null);

  /** During playback the current run is in the last column, with the last one beside it. */
  readonly rows = computed(() => {
    const live = this.live();
    const last = this.run();
    const left = live ? last : this.before();
    const right = live ?? last?.summary;
    if (!right) return [];
    const how = (run: RunRecord | null): string =>
      run
        ? `${scaleText(run.facts.tuning.playScale, run.facts.tuning)}, ${playedFrom(run)}${withoutText(run.facts.tuning)}`
        : '–';
    const played = { name: 'Played', before: how(left), now: live ? 'now' : how(last) };
    const figures = FIGURES.map(([name, of]) => ({
      name,
      now: of(right),
      before: left ? of(left.summary) : '–',
    }));
    // The prediction before the run, beside its result.
    const said = (run: RunRecord | null): string =>
      run?.facts.predicted ? framesPerSecond(run.facts.predicted.framesPerSecond) : '–';
    const was = (run: RunRecord | null): string =>
      run ? framesPerSecond(run.summary.framesPerSecondShown) : '–';
    const shown = {
      name: 'Frame rate shown',
      now: live ? framesPerSecond(live.framesPerSecondShown) : was(last),
      before: was(left),
    };
    const predicted = { name: 'Predicted', now: live ? '–' : said(last), before: said(left) };
    return [played, predicted, shown, ...figures];
  });

  /** Sentence that both runs differ, and in what. */
  readonly beforeNote = computed(() => {
    const { before, last, beforeDiffers } = this.runs();
    if (!before || !last || this.live()) return null;
    return unlikeText(before, beforeDiffers, frameText);
  });

  constructor() {
    const timer = setInterval(() => this.readLive(), LIVE_MS);
    inject(DestroyRef).onDestroy(() => clearInterval(timer));
  }

  private readLive(): void {
    const log = this.logs.live();
    const timeline = this.timeline();
    this.live.set(log && timeline ? pacingSummary(log, timeline.rate) : null);
  }
}

const frameText = (frame: number): string => String(frame);

const LIVE_MS = 1000;

const FIGURES: readonly [string, (summary: PacingSummary) => string][] = [
  ['Frames shown', ({ shown, wanted }) => `${shown} of ${wanted}`],
  ['Dropped', ({ dropped, wanted }) => `${dropped} · ${perCent(dropped / Math.max(1, wanted))}`],
  ['Longest freeze', ({ longestFreezeMs }) => milliseconds(longestFreezeMs)],
  ['Time to first frame', ({ firstFrameMs }) => milliseconds(firstFrameMs)],
  ['Time to first drop', ({ firstDropMs }) => (firstDropMs === null ? 'none' : milliseconds(firstDropMs))],
];
