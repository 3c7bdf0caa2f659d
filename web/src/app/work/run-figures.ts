import { Component, computed, inject, signal } from '@angular/core';
import type { RunRecord } from '@hone/core/api';
import type { Tuning } from '@hone/core/levers';
import { pacingSummary, type PacingSummary } from '@hone/core/playback';
import { Store } from '@ngrx/store';
import { RunLogs } from '../playback/run-logs';
import { Predictions } from '../prediction/predictions';
import {
  selectMeasuredRun,
  selectPlayedBefore,
  selectPlayedRun,
  selectPlayedRuns,
  selectTimeline,
  selectTuning,
} from '../state/selectors';
import { withoutText } from '../formatting/recommendation-words';
import { playedFrom, unlikeText } from '../formatting/run-words';
import { framesPerSecond, milliseconds, perCent, scaleText } from '../formatting/quantities';
import { followTicks } from './playhead-ticker';

/**
 * Before and after: the last run beside the one before, or what is predicted of the timeline as it is tuned now beside
 * the last run.
 */
@Component({
  selector: 'hone-run-figures',
  styles: `
    table {
      font-size: 12.5px;
    }
    th {
      white-space: nowrap;
    }
    td.number {
      white-space: normal;
    }
  `,
  template: `
    @if (rows().length) {
      <table class="figures" data-testid="figures" [attr.data-run]="run()?.id" [attr.data-live]="isLive()">
        <caption class="seen-by-readers-only">
          Figures before and after
        </caption>
        <tr>
          <th scope="col"></th>
          <th scope="col" class="number">{{ heads().before }}</th>
          <th scope="col" class="number">{{ heads().now }}</th>
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
  private readonly tuning = this.store.selectSignal(selectTuning);
  private readonly live = signal<PacingSummary | null>(null);

  private readonly measured = this.store.selectSignal(selectMeasuredRun);
  private readonly predictions = inject(Predictions);
  readonly isLive = computed(() => this.live() !== null);
  /** Prediction of the timeline as it is tuned now; null where the last run measured it, or while it plays. */
  private readonly predicted = computed(() =>
    this.live() || this.measured() || this.predictions.isWhatIf() ? null : this.predictions.predicted(),
  );
  readonly heads = computed(() => {
    if (this.live()) return { before: 'last run', now: 'this run' };
    return this.predicted()
      ? { before: 'last run', now: 'predicted' }
      : { before: 'run before', now: 'last run' };
  });

  readonly rows = computed(() => {
    const live = this.live();
    const last = this.run();
    const predicted = last && this.predicted();
    const left = live || predicted ? last : this.before();
    const right = live ?? predicted?.summary ?? last?.summary;
    if (!right) return [];
    const rates = (name: string, before: number | undefined, now: number | undefined) => ({
      name,
      before: before === undefined ? '–' : framesPerSecond(before),
      now: now === undefined ? '–' : framesPerSecond(now),
    });
    const figures = FIGURES.map(([name, of]) => ({
      name,
      now: of(right),
      before: left ? of(left.summary) : '–',
    }));
    const tuning = this.tuning();
    const nowText = predicted && tuning ? tunedText(tuning) : playedText(last);
    // The prediction before the run, beside its result.
    const before = rates(
      'Predicted',
      left?.facts.predicted?.framesPerSecond,
      live ? undefined : last?.facts.predicted?.framesPerSecond,
    );
    return [
      rates('Frame rate shown', left?.summary.framesPerSecondShown, right.framesPerSecondShown),
      ...figures,
      { name: 'Played', before: playedText(left), now: live ? 'now' : nowText },
      ...(predicted ? [] : [before]),
    ];
  });

  /** Sentence that both runs differ, and in what. */
  readonly beforeNote = computed(() => {
    const { before, last, beforeDiffers } = this.runs();
    if (!before || !last || this.live() || this.predicted()) return null;
    return unlikeText(before, beforeDiffers, frameText);
  });

  constructor() {
    followTicks(() => this.readLive(), LIVE_TICKS);
  }

  private readLive(): void {
    const log = this.logs.live();
    const timeline = this.timeline();
    this.live.set(log && timeline ? pacingSummary(log, timeline.rate) : null);
  }
}

const playedText = (run: RunRecord | null): string =>
  run ? tunedText(run.facts.tuning, playedFrom(run)) : '–';

/** @param files that it is played from; empty where that is not known */
const tunedText = (tuning: Tuning, files = ''): string =>
  `${scaleText(tuning.playScale, tuning)}${files && `, ${files}`}${withoutText(tuning)}`;

const frameText = (frame: number): string => String(frame);

/** Once a second during playback. */
const LIVE_TICKS = 4;

const FIGURES: readonly [string, (summary: PacingSummary) => string][] = [
  ['Dropped', ({ dropped, wanted }) => `${dropped} · ${perCent(dropped / Math.max(1, wanted))}`],
  ['Frames shown', ({ shown, wanted }) => `${shown} of ${wanted}`],
  ['Longest freeze', ({ longestFreezeMs }) => milliseconds(longestFreezeMs)],
  ['Time to first frame', ({ firstFrameMs }) => milliseconds(firstFrameMs)],
  ['Time to first drop', ({ firstDropMs }) => (firstDropMs === null ? 'none' : milliseconds(firstDropMs))],
];
