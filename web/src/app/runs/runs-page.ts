import { Component, computed, effect, ElementRef, inject, signal, viewChild } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { Store } from '@ngrx/store';
import type { RunRecord } from '@hone/core/api';
import { limitingStage } from '@hone/core/findings';
import { frameBudgetMs, STAGES, type FrameLog } from '@hone/core/playback';
import { toNumber } from '@hone/core/time';
import { paletteOf, prepared } from '../drawing/axis';
import { drawLateness, drawLoadLane } from '../drawing/run-drawing';
import { RunLogs } from '../playback/run-logs';
import { PlayerActions } from '../state/actions';
import { playbackFeature } from '../state/features';
import { selectBefore, selectLength, selectRun } from '../state/selectors';
import { findingSentence, STAGE_NAMES } from '../words/finding-words';
import { framesPerSecond, milliseconds, perCent } from '../words/quantities';

const LABELS = 108;
const LATE = 26;
const LANE = 16;

/** All runs of the project, and any two of them on one axis. */
@Component({
  selector: 'hone-runs-page',
  imports: [MatButtonModule],
  templateUrl: './runs-page.html',
  styleUrl: './runs-page.scss',
})
export class RunsPage {
  private readonly store = inject(Store);
  private readonly logs = inject(RunLogs);
  private readonly chart = viewChild<ElementRef<HTMLCanvasElement>>('chart');
  private readonly length = this.store.selectSignal(selectLength);
  readonly runs = this.store.selectSignal(playbackFeature.selectRuns);
  readonly run = this.store.selectSignal(selectRun);
  readonly before = this.store.selectSignal(selectBefore);
  readonly height = 2 * (LATE + STAGES.length * (LANE + 2) + 14);
  private readonly resized = signal(0);

  readonly sentence = computed(() => {
    const run = this.run();
    const log = run && this.logs.all().get(run.id);
    const finding = run && log && limitingStage(log, run.summary, run.facts.rate);
    return finding ? findingSentence(finding, toNumber(run.facts.rate)) : '';
  });

  constructor() {
    effect(() => {
      this.logs.want(this.run());
      this.logs.want(this.before());
    });
    effect((onCleanup) => {
      const chart = this.chart();
      if (!chart) return;
      const observer = new ResizeObserver(() => this.resized.update((count) => count + 1));
      observer.observe(chart.nativeElement);
      onCleanup(() => observer.disconnect());
    });
    effect(() => {
      this.resized();
      this.draw();
    });
  }

  cells({ startedAt, facts, summary }: RunRecord): string[] {
    return [
      new Date(startedAt).toLocaleTimeString('en-GB'),
      `1:${facts.tuning.playScale}`,
      facts.copiedSources.length ? `copies of ${facts.copiedSources.length}` : 'originals',
      `${summary.shown} of ${summary.wanted}`,
      perCent(summary.dropped / Math.max(1, summary.wanted)),
      framesPerSecond(summary.framesPerSecondShown),
      milliseconds(summary.longestFreezeMs),
      milliseconds(summary.firstFrameMs),
    ];
  }

  choose(run: RunRecord, place: 'run' | 'before'): void {
    const runId = place === 'run' ? run.id : (this.run()?.id ?? null);
    const beforeId = place === 'before' ? run.id : (this.before()?.id ?? null);
    this.store.dispatch(PlayerActions.runsCompared({ runId, beforeId }));
  }

  remove(run: RunRecord): void {
    this.store.dispatch(PlayerActions.runRemoved({ runId: run.id }));
  }

  private draw(): void {
    const canvas = this.chart()?.nativeElement;
    if (!canvas) return;
    const { context, width } = prepared(canvas);
    const palette = paletteOf(canvas);
    const axis = { from: 0, to: Math.max(1, this.length()), left: LABELS, right: width - 4 };
    let top = 0;
    for (const [name, run] of [
      ['before', this.before()],
      ['last', this.run()],
    ] as const) {
      const log: FrameLog | undefined = run ? this.logs.all().get(run.id) : undefined;
      const budget = run ? frameBudgetMs(run.facts.rate) : 1;
      const label = (text: string, height: number): void => {
        context.fillStyle = palette.quiet;
        context.fillText(text, 0, top + height / 2);
      };
      label(`Late, ${name}`, LATE);
      drawLateness(context, axis, { top, height: LATE }, log, budget, palette);
      top += LATE + 2;
      for (const stage of STAGES) {
        label(`${STAGE_NAMES[stage]} load`, LANE);
        drawLoadLane(context, axis, { top, height: LANE }, log, stage, budget, palette);
        top += LANE + 2;
      }
      top += 12;
    }
  }
}
