import { Component, computed, effect, ElementRef, inject, input, viewChild } from '@angular/core';
import { Router } from '@angular/router';
import { MatButtonModule } from '@angular/material/button';
import { Store } from '@ngrx/store';
import type { RunRecord } from '@hone/core/api';
import type { Finding } from '@hone/core/findings';
import {
  frameBudgetMs,
  latenessHistogram,
  longestFreezes,
  STAGES,
  type Freeze,
  type RunSample,
} from '@hone/core/playback';
import { formatTimecode, timecodeOf, toNumber } from '@hone/core/time';
import { paletteOf, prepared, type Area } from '../drawing/axis';
import { redraw } from '../drawing/redraw';
import { LaneFold } from '../drawing/lane-fold';
import { LaneLegend } from '../drawing/lane-legend';
import { atFrames, drawDepth, drawHistogram, drawSamples } from '../drawing/run-charts';
import { drawLateness, drawLimitingLane, drawLoadLane } from '../drawing/run-drawing';
import { drawRuler } from '../drawing/track-drawing';
import { RunLogs } from '../playback/run-logs';
import { PlayerActions } from '../state/actions';
import { selectProject } from '../state/selectors';
import { findingSentence } from '../formatting/finding-words';
import { STAGE_NAMES } from '../formatting/stage-words';
import { graphicsText, keptText, verdictText } from '../formatting/run-words';
import { withoutText } from '../formatting/recommendation-words';
import { bytes, count, framesPerSecond, milliseconds, percentOf, scaleText } from '../formatting/quantities';

const LABELS = 150;
const LATE = 30;
/** Heights of the load of the limiting stage, and of the load of each stage, as on the page Work. */
const LIMITING = 52;
const LOAD = 24;
const LANE = 30;
const GAP = 4;
const RULER = 18;
const heightOf = (isOpen: boolean): number =>
  RULER + LATE + (isOpen ? STAGES.length * (LOAD + GAP) : LIMITING + GAP) + 4 * LANE + 6 * GAP;
const HISTOGRAM_HEIGHT = 130;

/** One run: what each frame took, how full the queue was, what the machine did meanwhile, and the worst moments. */
@Component({
  selector: 'hone-run-detail',
  imports: [LaneLegend, MatButtonModule],
  templateUrl: './run-detail.html',
  styleUrl: './run-detail.scss',
})
export class RunDetail {
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly logs = inject(RunLogs);
  readonly run = input.required<RunRecord>();
  private readonly project = this.store.selectSignal(selectProject);
  private readonly chart = viewChild<ElementRef<HTMLCanvasElement>>('chart');
  private readonly histogramChart = viewChild<ElementRef<HTMLCanvasElement>>('histogram');
  readonly fold = inject(LaneFold);
  readonly chartHeight = computed(() => heightOf(this.fold.isOpen()));
  readonly histogramHeight = HISTOGRAM_HEIGHT;
  private readonly log = computed(() => this.logs.all().get(this.run().id));
  private readonly samples = computed(() => this.logs.samples().get(this.run().id) ?? []);
  private readonly budgetMs = computed(() => frameBudgetMs(this.run().facts.rate));
  readonly verdict = computed(() => verdictText(this.run()));
  /** Findings saved with the run. */
  readonly findings = computed(() => (this.run().findings ?? []).map((finding) => findingSentence(finding)));
  readonly moments = computed(() => {
    const log = this.log();
    return log ? longestFreezes(log, this.budgetMs()) : [];
  });
  readonly facts = computed(() => {
    const { facts } = this.run();
    const seconds = (this.log()?.length ?? 0) / toNumber(facts.rate);
    const samples = this.samples();
    const mixed =
      seconds > 0 ? `, mixing took ${percentOf(facts.sound.mixMs / seconds / 10)} of the time` : '';
    return [
      facts.predicted ? `${framesPerSecond(facts.predicted.framesPerSecond)} were predicted` : '',
      `preview ${scaleText(facts.tuning.playScale, facts.tuning)}`,
      (facts.copiedSources.length
        ? `light copies of ${count(facts.copiedSources.length, 'source', 'sources')}`
        : 'originals') + withoutText(facts.tuning),
      facts.serverDecoded.length
        ? `${count(facts.serverDecoded.length, 'source', 'sources')} decoded by the server`
        : '',
      facts.ranges ? 'decoded by plan: frames that cannot be on time were skipped' : '',
      keptText(this.run()),
      count(facts.decodeWorkers, 'decode worker', 'decode workers'),
      `sound: ${facts.sound.gapSamples ? `${milliseconds(facts.sound.gapSamples / 48)} silent because it was not ready` : 'no gaps'}${mixed}`,
      facts.driveId ? `simulated drive ${facts.driveId}` : '',
      facts.othersShare ? `other programs took ${percentOf(100 * facts.othersShare)} of the cores` : '',
      graphicsText(samples),
      samples[0] && samples[0].power !== 'unknown' ? `on ${samples[0].power}` : '',
      samples.length ? '' : 'the machine was not looked at during this run',
    ].filter((each) => each);
  });
  readonly label = computed(() => {
    const { shown, wanted } = this.run().summary;
    return `Along the timeline: lateness, what each stage took, waiting frames, cores, drive and memory. ${shown} of ${wanted} frames were shown.`;
  });

  constructor() {
    effect(() => {
      this.logs.want(this.run());
      this.logs.wantSamples(this.run());
    });
    redraw(this.chart, 'run', (canvas) => this.draw(canvas));
    redraw(this.histogramChart, 'histogram', (canvas) => this.drawHistogram(canvas));
  }

  momentText({ frame, droppedFrames, freezeMs }: Freeze): string {
    const where = this.timecode(frame);
    const within = this.findingAt(frame);
    const why = within?.stage ? ` · ${STAGE_NAMES[within.stage].toLowerCase()}` : '';
    return `${where} · ${count(droppedFrames, 'frame', 'frames')} dropped, froze for ${milliseconds(freezeMs)}${why}`;
  }

  /** The finding that explains what was dropped at a frame. */
  private findingAt(frame: number): Finding | undefined {
    return this.run().findings?.find(
      ({ dropped, ranges }) => dropped > 0 && ranges.some(({ from, to }) => from <= frame && frame < to),
    );
  }

  jump({ frame }: Freeze): void {
    this.store.dispatch(PlayerActions.subjectChosen({ sourceId: this.run().facts.subjectId }));
    this.store.dispatch(PlayerActions.placeAsked({ frame }));
    void this.router.navigate(['/work']);
  }

  note(event: Event): void {
    const { value } = event.target as HTMLTextAreaElement;
    if (value !== this.run().notes)
      this.store.dispatch(PlayerActions.runNoted({ runId: this.run().id, notes: value }));
  }

  private timecode(frame: number): string {
    const { subjectId, rate } = this.run().facts;
    const start = subjectId ? 0 : (this.project()?.timeline.startFrame ?? 0);
    const { dropFrame } = this.project()?.timeline ?? {};
    return formatTimecode(start + frame, timecodeOf({ rate, dropFrame }));
  }

  private draw(canvas: HTMLCanvasElement): void {
    const log = this.log();
    const samples = this.samples();
    const budget = this.budgetMs();
    const { context, width } = prepared(canvas);
    const palette = paletteOf(canvas);
    const first = log?.firstFrame ?? 0;
    const axis = { from: first, to: first + Math.max(1, log?.length ?? 1), left: LABELS, right: width - 4 };
    let top = 0;
    const row = (label: string, height: number, draw: (area: Area) => void): void => {
      draw({ top, height });
      context.fillStyle = palette.quiet;
      context.fillText(label, 0, top + height / 2, LABELS - 8);
      top += height + GAP;
    };
    const of = (valueOf: (sample: RunSample) => number | null) =>
      log ? atFrames(samples, log, budget, valueOf) : [];
    const { rate } = this.run().facts;
    row('', RULER, (area) =>
      drawRuler(context, axis, area, toNumber(rate), (frame) => this.timecode(frame), palette),
    );
    row('Late', LATE, (area) => drawLateness(context, axis, area, log, budget, palette));
    if (this.fold.isOpen())
      for (const stage of STAGES)
        row(`${STAGE_NAMES[stage]} load`, LOAD, (area) =>
          drawLoadLane(context, axis, area, log, stage, budget, palette),
        );
    else
      row('Limiting stage', LIMITING, (area) =>
        drawLimitingLane(
          context,
          axis,
          area,
          {
            log,
            stageMs: undefined,
            drops: undefined,
            blamedAt: (frame) => this.findingAt(frame)?.stage ?? undefined,
          },
          budget,
          palette,
        ),
      );
    let deepest = 0;
    row('', LANE, (area) => (deepest = drawDepth(context, axis, area, log, palette)));
    context.fillStyle = palette.quiet;
    context.fillText(`Frames waiting, to ${deepest}`, 0, top - GAP - LANE / 2, LABELS - 8);
    const cores = of(
      ({ cores: shares }) => shares.reduce((sum, share) => sum + share, 0) / Math.max(1, shares.length),
    );
    row('Cores busy, to 100 %', LANE, (area) => drawSamples(context, axis, area, cores, 1, palette));
    const reads = of(({ readBytesPerSecond }) => readBytesPerSecond);
    const mostRead = Math.max(1e6, ...reads.map(({ value }) => value));
    row(`Drives, to ${bytes(mostRead)}/s`, LANE, (area) =>
      drawSamples(context, axis, area, reads, mostRead, palette),
    );
    const memory = of(({ usedMemoryBytes }) => usedMemoryBytes);
    const mostMemory = Math.max(1, ...memory.map(({ value }) => value));
    row(`Memory, to ${bytes(mostMemory)}`, LANE, (area) =>
      drawSamples(context, axis, area, memory, mostMemory, palette),
    );
  }

  private drawHistogram(canvas: HTMLCanvasElement): void {
    const log = this.log();
    if (!log) return;
    const { context, width, height } = prepared(canvas);
    drawHistogram(context, width, height, latenessHistogram(log, this.budgetMs()), paletteOf(canvas));
  }
}
