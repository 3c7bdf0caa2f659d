import { afterNextRender, Component, computed, ElementRef, inject, viewChild } from '@angular/core';
import { Store } from '@ngrx/store';
import { definitionOf } from '@hone/core/render';
import { Playback } from '../playback/playback';
import { playbackFeature } from '../state/playback.feature';
import { selectPlate } from '../state/selectors';
import { pixels } from '../formatting/quantities';
import { originText } from '../formatting/source-words';
import { LiveReadout } from './live-readout';
import { Transport } from './transport';

/** The picture, which pixels it consists of, how it plays now, and the transport. */
@Component({
  selector: 'hone-viewer',
  imports: [LiveReadout, Transport],
  templateUrl: './viewer.html',
  styleUrl: './viewer.scss',
})
export class Viewer {
  private readonly store = inject(Store);
  private readonly playback = inject(Playback);
  private readonly canvas = viewChild.required<ElementRef<HTMLCanvasElement>>('canvas');
  readonly plate = this.store.selectSignal(selectPlate);
  readonly state = this.store.selectSignal(playbackFeature.selectState);
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
    afterNextRender(() => void this.playback.attach(this.canvas().nativeElement));
  }
}
