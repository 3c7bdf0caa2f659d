import {
  afterNextRender,
  Component,
  computed,
  DestroyRef,
  ElementRef,
  inject,
  viewChild,
} from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { Store } from '@ngrx/store';
import { definitionOf } from '@hone/core/render';
import { formatTimecode, timecodeOf } from '@hone/core/time';
import { Playback } from '../playback/playback';
import { playbackFeature } from '../state/features';
import { selectLength, selectPlate, selectTimeline } from '../state/selectors';
import { pixels } from '../formatting/quantities';
import { originText } from '../formatting/source-words';

/** The picture, which pixels it consists of, and the transport. */
@Component({
  selector: 'hone-viewer',
  imports: [MatButtonModule],
  templateUrl: './viewer.html',
  styleUrl: './viewer.scss',
})
export class Viewer {
  private readonly store = inject(Store);
  readonly playback = inject(Playback);
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');
  private readonly clock = viewChild.required<ElementRef<HTMLElement>>('clock');
  private readonly timeline = this.store.selectSignal(selectTimeline);
  private readonly length = this.store.selectSignal(selectLength);
  readonly plate = this.store.selectSignal(selectPlate);
  readonly state = this.store.selectSignal(playbackFeature.selectState);
  readonly inFrame = this.store.selectSignal(playbackFeature.selectInFrame);
  readonly outFrame = this.store.selectSignal(playbackFeature.selectOutFrame);
  readonly moving = computed(() => this.state() !== 'still');
  readonly end = computed(() => this.timecode(Math.max(0, this.length())));
  readonly plateText = computed(() => {
    const plate = this.plate();
    if (!plate) return 'no picture yet';
    const from = plate.from.map(originText).join(' and ') || 'no clip';
    return `preview ${pixels(plate.size)} of ${pixels(plate.full)} · ${from}`;
  });
  readonly leftOut = computed(() => {
    const kinds = this.plate()?.leftOut ?? [];
    const names = kinds.map((kind) => definitionOf(kind).name).join(' and ');
    return (
      names && `Not in this preview: ${names}. ${kinds.length > 1 ? 'They are' : 'It is'} in the export.`
    );
  });
  readonly label = computed(() => `Picture of the timeline: ${this.plateText()}`);

  constructor() {
    let next = 0;
    afterNextRender(() => {
      void this.playback.attach(this.canvas().nativeElement);
      const follow = (): void => {
        this.writeClock();
        next = requestAnimationFrame(follow);
      };
      next = requestAnimationFrame(follow);
    });
    inject(DestroyRef).onDestroy(() => cancelAnimationFrame(next));
  }

  timecode(frame: number): string {
    const timeline = this.timeline();
    return timeline ? formatTimecode(timeline.startFrame + frame, timecodeOf(timeline)) : '';
  }

  // The timecode changes with every frame, so it is written past change detection.
  private writeClock(): void {
    const text = this.timecode(Math.floor(this.playback.playhead + 1e-3));
    const element = this.clock().nativeElement;
    if (element.textContent !== text) element.textContent = text;
  }
}
