import { Component, ElementRef, inject, viewChild } from '@angular/core';
import { Store } from '@ngrx/store';
import { liveFigures } from '@hone/core/playback';
import { toNumber } from '@hone/core/time';
import { Api } from '../api/api';
import { framesPerSecond, percentOf } from '../formatting/quantities';
import { Playback } from '../playback/playback';
import { RunLogs } from '../playback/run-logs';
import { selectTimeline } from '../state/selectors';
import { followTicks } from './playhead-ticker';

/** Twice a second. */
const EVERY_TICKS = 2;

/** The frame rate that is shown now, drops since play was pressed, and how busy the cores are. */
@Component({
  selector: 'hone-live-readout',
  template: `<span #rate class="rate" data-testid="live-rate"></span
    ><span #drops class="drops" data-testid="live-drops"></span
    ><span #load class="load" data-testid="live-load"></span>`,
  styles: `
    :host {
      display: flex;
      gap: 12px;
      white-space: nowrap;
      contain: layout;
    }
    span {
      text-align: right;
    }
    .rate {
      width: 128px;
    }
    .drops {
      width: 84px;
    }
    .load {
      width: 84px;
    }
  `,
})
export class LiveReadout {
  private readonly logs = inject(RunLogs);
  private readonly playback = inject(Playback);
  private readonly api = inject(Api);
  private readonly timeline = inject(Store).selectSignal(selectTimeline);
  private readonly rate = viewChild.required<ElementRef<HTMLElement>>('rate');
  private readonly drops = viewChild.required<ElementRef<HTMLElement>>('drops');
  private readonly load = viewChild.required<ElementRef<HTMLElement>>('load');
  private coreShare: number | null = null;
  private asking = false;

  constructor() {
    followTicks(() => this.write(), EVERY_TICKS);
  }

  // What changes during playback is written past change detection, into places of a fixed width.
  private write(): void {
    const log = this.logs.live();
    const timeline = this.timeline();
    if (!log || !timeline) {
      this.coreShare = null;
      this.put('', '', '');
      return;
    }
    this.askLoad();
    const wanted = toNumber(timeline.rate);
    const { framesPerSecond: shown, dropped } = liveFigures(log, this.playback.playhead, timeline.rate);
    this.put(
      shown === null ? '' : `${shown.toFixed(1)} of ${framesPerSecond(wanted)}`,
      `${dropped} dropped`,
      this.coreShare === null ? '' : `cores ${percentOf(100 * this.coreShare)}`,
    );
  }

  private put(rate: string, drops: string, load: string): void {
    const pairs = [
      [this.rate(), rate],
      [this.drops(), drops],
      [this.load(), load],
    ] as const;
    for (const [{ nativeElement }, text] of pairs)
      if (nativeElement.textContent !== text) nativeElement.textContent = text;
  }

  private askLoad(): void {
    if (this.asking) return;
    this.asking = true;
    void this.api
      .coreShare()
      .then((share) => (this.coreShare = share))
      .catch(() => (this.coreShare = null))
      .finally(() => (this.asking = false));
  }
}
