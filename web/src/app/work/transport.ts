import { Component, computed, ElementRef, inject, viewChild } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatSelectModule } from '@angular/material/select';
import { MatSliderModule } from '@angular/material/slider';
import {
  mdiPlay,
  mdiSkipPrevious,
  mdiStepBackward,
  mdiStepForward,
  mdiStop,
  mdiVolumeHigh,
  mdiVolumeOff,
} from '@mdi/js';
import { Store } from '@ngrx/store';
import { previewPixels, PREVIEW_SCALES } from '@hone/core/levers';
import { formatTimecode, timecodeOf } from '@hone/core/time';
import { pixels } from '../formatting/quantities';
import { Icon } from '../icons/icon';
import { Named } from '../icons/named';
import { Levers } from '../playback/levers';
import { Playback } from '../playback/playback';
import { Shortcuts } from '../shortcuts/shortcuts';
import { playbackFeature } from '../state/playback.feature';
import { selectLength, selectTimeline } from '../state/selectors';
import { followTicks } from './playhead-ticker';
import { ReleasesFocus } from './releases-focus';

/** What is reached for twenty times an hour: playing, the pixels and files that it is played from, and the volume. */
@Component({
  selector: 'hone-transport',
  imports: [Icon, MatButtonModule, MatSelectModule, MatSliderModule, Named, ReleasesFocus],
  templateUrl: './transport.html',
  styleUrl: './transport.scss',
})
export class Transport {
  private readonly store = inject(Store);
  readonly playback = inject(Playback);
  readonly shortcuts = inject(Shortcuts);
  private readonly clock = viewChild.required<ElementRef<HTMLElement>>('clock');
  private readonly timeline = this.store.selectSignal(selectTimeline);
  private readonly length = this.store.selectSignal(selectLength);
  readonly levers = inject(Levers);
  private readonly state = this.store.selectSignal(playbackFeature.selectState);
  private readonly inFrame = this.store.selectSignal(playbackFeature.selectInFrame);
  private readonly outFrame = this.store.selectSignal(playbackFeature.selectOutFrame);
  /** In and out point as timecode; empty without any. */
  readonly marks = computed(() => {
    const [first, last] = [this.inFrame(), this.outFrame()];
    const texts = [
      ...(first === null ? [] : [`in ${this.timecode(first)}`]),
      ...(last === null ? [] : [`out ${this.timecode(last)}`]),
    ];
    return texts.join(' ');
  });
  readonly moving = computed(() => this.state() !== 'still');
  readonly end = computed(() => this.timecode(Math.max(0, this.length())));
  readonly scales = computed(() => {
    const timeline = this.timeline();
    const tuning = this.levers.tuning();
    return PREVIEW_SCALES.map((scale) => ({
      scale,
      pixels:
        timeline && tuning
          ? pixels(previewPixels(timeline.size, { ...tuning, playScale: scale }, 'playing'))
          : '',
    }));
  });
  readonly icons = {
    start: mdiSkipPrevious,
    back: mdiStepBackward,
    play: mdiPlay,
    stop: mdiStop,
    forward: mdiStepForward,
    volume: mdiVolumeHigh,
    muted: mdiVolumeOff,
  };

  constructor() {
    followTicks(() => this.writeClock());
  }

  private timecode(frame: number): string {
    const timeline = this.timeline();
    return timeline ? formatTimecode(timeline.startFrame + frame, timecodeOf(timeline)) : '';
  }

  // The timecode changes during playback, so it is written past change detection.
  private writeClock(): void {
    const text = this.timecode(Math.floor(this.playback.playhead + 1e-3));
    const element = this.clock().nativeElement;
    if (element.textContent !== text) element.textContent = text;
  }
}
