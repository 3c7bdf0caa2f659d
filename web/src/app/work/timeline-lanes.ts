import { Component, computed, effect, ElementRef, inject, signal, viewChild } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { Store } from '@ngrx/store';
import { frameBudgetMs, STAGES, type FrameLog, type Stage } from '@hone/core/playback';
import { frameOf, paletteOf, prepared, type Area } from '../drawing/axis';
import { cacheText, drawCache } from '../drawing/cache-drawing';
import { LaneFold } from '../drawing/lane-fold';
import { LaneLegend } from '../drawing/lane-legend';
import { redraw } from '../drawing/redraw';
import { drawLateness, drawLimitingLane, drawLoadLane, drawPredictedLane } from '../drawing/run-drawing';
import { Playback } from '../playback/playback';
import { RunLogs } from '../playback/run-logs';
import { Predictions } from '../prediction/predictions';
import {
  selectMeasuredRun,
  selectPlayedBefore,
  selectPlayedRun,
  selectSources,
  selectTimeline,
} from '../state/selectors';
import { laneSum, limitingStage } from '../formatting/finding-words';
import { STAGE_NAMES } from '../formatting/stage-words';
import { CacheRanges } from './cache-ranges';
import { followPlayhead } from './playhead-line';
import { followTicks } from './playhead-ticker';
import { LABELS, TimelineRange } from './timeline-range';

/** Ticks of playback, after which a running run is redrawn: once a second. */
const LIVE_TICKS = 4;

interface Lane {
  readonly label: string;
  readonly area: Area;
  readonly stage: Stage | null;
}

/** The load of the limiting stage under the tracks, on their axis; unfolded, lateness and the load of each stage. */
@Component({
  selector: 'hone-timeline-lanes',
  imports: [LaneLegend, MatButtonModule],
  templateUrl: './timeline-lanes.html',
  styleUrl: './timeline-lanes.scss',
})
export class TimelineLanes {
  private readonly store = inject(Store);
  private readonly playback = inject(Playback);
  private readonly logs = inject(RunLogs);
  private readonly range = inject(TimelineRange);
  private readonly predictions = inject(Predictions);
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('lanes');
  private readonly surface = viewChild.required<ElementRef<HTMLElement>>('surface');
  private readonly line = viewChild.required<ElementRef<HTMLElement>>('line');
  private readonly timeline = this.store.selectSignal(selectTimeline);
  private readonly sources = this.store.selectSignal(selectSources);
  private readonly run = this.store.selectSignal(selectPlayedRun);
  private readonly measured = this.store.selectSignal(selectMeasuredRun);
  private readonly before = this.store.selectSignal(selectPlayedBefore);
  private readonly cache = inject(CacheRanges).ranges;
  private readonly pointed = signal<{ readonly frame: number; readonly y: number } | null>(null);
  private scrubbing = false;

  readonly fold = inject(LaneFold);
  /** Always the same ones, so that nothing moves when a run comes in. */
  readonly lanes = computed(() => (this.fold.isOpen() ? allLanes() : ONE_LANE));
  readonly height = computed(() => {
    const last = this.lanes().at(-1)!.area;
    return last.top + last.height + 2;
  });
  /** Parts of the lane under the pointer. */
  readonly sum = computed(() => {
    const predicted = this.predictions.predicted();
    const place = this.pointed();
    if (!place) return null;
    const isIn = ({ top, height }: Area): boolean => top <= place.y && place.y < top + height + 1;
    const lane = this.lanes().find(({ area }) => isIn(area));
    const frame = Math.floor(place.frame);
    if (lane?.label === CACHE) return cacheText(this.cache(), frame);
    if (!predicted) return null;
    const stage = lane?.label === LIMITING ? limitingStage(predicted, frame) : lane?.stage;
    const names = new Map(this.sources().map(({ id, name }) => [id, name]));
    return stage ? laneSum(predicted, stage, frame, (id) => names.get(id) ?? id) || null : null;
  });

  constructor() {
    effect(() => {
      this.logs.want(this.run());
      this.logs.want(this.before());
    });
    const place = followPlayhead(this.line, (width) => this.axis(width));
    redraw(this.canvas, 'lanes', () => {
      this.draw();
      place();
    });
    followTicks(() => void (this.logs.live() && this.draw()), LIVE_TICKS);
  }

  onPress(event: PointerEvent): void {
    if (event.button !== 0) return;
    this.surface().nativeElement.setPointerCapture(event.pointerId);
    this.scrubbing = true;
    this.scrubTo(event);
  }

  onMove(event: PointerEvent): void {
    if (this.scrubbing) this.scrubTo(event);
    else this.pointed.set({ frame: this.frameAt(event), y: event.offsetY });
  }

  letGo(): void {
    if (this.scrubbing) this.playback.endScrub();
    this.scrubbing = false;
  }

  leave(): void {
    this.pointed.set(null);
  }

  onWheel(event: WheelEvent): void {
    this.range.wheel(event, this.axis(this.surface().nativeElement.clientWidth));
  }

  private scrubTo(event: PointerEvent): void {
    this.playback.scrubTo(Math.floor(this.frameAt(event)), event.timeStamp);
  }

  private frameAt({ offsetX }: PointerEvent): number {
    return frameOf(this.axis(this.surface().nativeElement.clientWidth), offsetX);
  }

  private axis(width: number): ReturnType<TimelineRange['axis']> {
    return this.range.axis(width);
  }

  private draw(): void {
    const canvas = this.canvas().nativeElement;
    const timeline = this.timeline();
    const { context, width } = prepared(canvas);
    if (!timeline) return;
    const palette = paletteOf(canvas);
    const axis = this.axis(width);
    const budget = frameBudgetMs(timeline.rate);
    const live = this.logs.live();
    const log = live ?? this.logOf(this.run()?.id);
    const before = live ? this.logOf(this.run()?.id) : this.logOf(this.before()?.id);
    const predicted = this.predictions.predicted();
    // A run applies to this machine, and to the levers that it was played with.
    const played = this.predictions.isWhatIf() ? undefined : (live ?? this.logOf(this.measured()?.id));
    context.fillStyle = palette.quiet;
    for (const { label, area } of this.lanes())
      context.fillText(label, 8, area.top + area.height / 2 + 0.5, LABELS - 14);
    const late = new Map([
      [PREDICTED, this.predictions.log()],
      [BEFORE, before],
      [LAST, log],
    ]);
    for (const { label, area, stage } of this.lanes()) {
      if (label === CACHE) drawCache(context, axis, area, this.cache(), palette);
      else if (label === LIMITING) {
        const data = { log: played, stageMs: predicted?.stageMs, drops: predicted?.drops };
        drawLimitingLane(context, axis, area, data, budget, palette);
      } else if (stage === null) drawLateness(context, axis, area, late.get(label), budget, palette);
      else {
        drawLoadLane(context, axis, area, played, stage, budget, palette);
        if (predicted)
          drawPredictedLane(context, axis, area, predicted.stageMs[stage], stage, budget, palette, !played);
      }
    }
  }

  private logOf(id: string | undefined): FrameLog | undefined {
    return id === undefined ? undefined : this.logs.all().get(id);
  }
}

const LIMITING = 'Limiting stage';
const CACHE = 'Render cache';
/** Height of the only lane, and of each of several, CSS pixels. */
const TALL = 52;
const LOW = 24;
/** Height of the row of the render cache, CSS pixels. */
const CACHE_HEIGHT = 13;
const ONE_LANE: readonly Lane[] = [
  { label: LIMITING, area: { top: 3, height: TALL }, stage: null },
  { label: CACHE, area: { top: 5 + TALL, height: CACHE_HEIGHT }, stage: null },
];
const PREDICTED = 'Late, predicted';
const BEFORE = 'Late, run before';
const LAST = 'Late, last run';

function allLanes(): readonly Lane[] {
  const lanes: Lane[] = [];
  let top = 3;
  const add = (label: string, height: number, stage: Stage | null = null): void => {
    lanes.push({ label, area: { top, height }, stage });
    top += height + (stage ? 1 : 2);
  };
  add(PREDICTED, 14);
  add(BEFORE, 14);
  add(LAST, 14);
  for (const stage of STAGES) add(`${STAGE_NAMES[stage]} load`, LOW, stage);
  add(CACHE, CACHE_HEIGHT);
  return lanes;
}
