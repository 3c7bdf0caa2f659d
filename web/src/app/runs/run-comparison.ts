import { Component, computed, effect, ElementRef, inject, input, viewChild } from '@angular/core';
import type { RunRecord } from '@hone/core/api';
import { frameBudgetMs, STAGES } from '@hone/core/playback';
import { Store } from '@ngrx/store';
import { formatTimecode, timecodeOf, toNumber } from '@hone/core/time';
import { paletteOf, prepared, type Area } from '../drawing/axis';
import { redraw } from '../drawing/redraw';
import { drawLateness, drawLoadLane } from '../drawing/run-drawing';
import { drawRuler } from '../drawing/track-drawing';
import { RunLogs } from '../playback/run-logs';
import { selectProject } from '../state/selectors';
import { STAGE_NAMES } from '../formatting/stage-words';
import { withoutText } from '../formatting/recommendation-words';
import { milliseconds, perCent, scaleText } from '../formatting/quantities';

const LABELS = 150;
const LATE = 26;
const LANE = 16;
const RULER = 18;

/** Two runs on one axis: the lateness of both, and each stage of one above the same stage of the other. */
@Component({
  selector: 'hone-run-comparison',
  template: `
    <p>{{ sentence() }}</p>
    <canvas
      #chart
      [style.height.px]="height"
      role="img"
      aria-label="The two selected runs on one axis: lateness and load of each stage along the timeline"
    ></canvas>
  `,
  styles: `
    canvas {
      width: 100%;
      display: block;
      margin-top: 8px;
    }
  `,
})
export class RunComparison {
  private readonly logs = inject(RunLogs);
  private readonly project = inject(Store).selectSignal(selectProject);
  readonly run = input.required<RunRecord>();
  readonly before = input.required<RunRecord>();
  private readonly chart = viewChild<ElementRef<HTMLCanvasElement>>('chart');
  readonly height = RULER + 2 + 2 * (LATE + 2) + 10 + STAGES.length * (2 * LANE + 8);
  readonly sentence = computed(() => {
    const about = ({ facts, summary, startedAt }: RunRecord): string =>
      `${new Date(startedAt).toLocaleTimeString('en-GB')}, ${scaleText(facts.tuning.playScale, facts.tuning)}, ${facts.copiedSources.length ? 'light copies' : 'originals'}${withoutText(facts.tuning)}: ${perCent(summary.dropped / Math.max(1, summary.wanted))} dropped, longest freeze ${milliseconds(summary.longestFreezeMs)}`;
    return `A is the run of ${about(this.before())}. B is the run of ${about(this.run())}.`;
  });

  constructor() {
    effect(() => {
      this.logs.want(this.run());
      this.logs.want(this.before());
    });
    redraw(this.chart, 'two runs', (canvas) => this.draw(canvas));
  }

  private draw(canvas: HTMLCanvasElement): void {
    const { context, width } = prepared(canvas);
    const palette = paletteOf(canvas);
    const runs = [
      {
        name: 'A',
        log: this.logs.all().get(this.before().id),
        budget: frameBudgetMs(this.before().facts.rate),
      },
      { name: 'B', log: this.logs.all().get(this.run().id), budget: frameBudgetMs(this.run().facts.rate) },
    ];
    const ends = runs.map(({ log }) => (log ? log.firstFrame + log.length : 1));
    const starts = runs.map(({ log }) => log?.firstFrame ?? 0);
    const axis = { from: Math.min(...starts), to: Math.max(1, ...ends), left: LABELS, right: width - 4 };
    let top = 0;
    const row = (label: string, height: number, draw: (area: Area) => void): void => {
      draw({ top, height });
      context.fillStyle = palette.quiet;
      context.fillText(label, 0, top + height / 2, LABELS - 8);
      top += height + 2;
    };
    const { rate, subjectId } = this.run().facts;
    const start = subjectId ? 0 : (this.project()?.timeline.startFrame ?? 0);
    const timecode = (frame: number): string =>
      formatTimecode(start + frame, timecodeOf({ rate, dropFrame: this.project()?.timeline.dropFrame }));
    row('', RULER, (area) => drawRuler(context, axis, area, toNumber(rate), timecode, palette));
    for (const { name, log, budget } of runs)
      row(`${name} · late`, LATE, (area) => drawLateness(context, axis, area, log, budget, palette));
    top += 6;
    for (const stage of STAGES) {
      for (const { name, log, budget } of runs)
        row(`${name} · ${STAGE_NAMES[stage]} load`, LANE, (area) =>
          drawLoadLane(context, axis, area, log, stage, budget, palette),
        );
      top += 4;
    }
  }
}
