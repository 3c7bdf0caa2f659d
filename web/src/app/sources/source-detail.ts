import { Component, computed, effect, ElementRef, inject, input, signal, viewChild } from '@angular/core';
import { Router } from '@angular/router';
import { MatButtonModule } from '@angular/material/button';
import { MatCheckboxModule } from '@angular/material/checkbox';
import { Store } from '@ngrx/store';
import type { LightCopy, Source } from '@hone/core/api';
import { PacketIndex } from '@hone/core/media';
import { Api } from '../api/api';
import { paletteOf, prepared } from '../drawing/axis';
import { redraw } from '../drawing/redraw';
import { drawRate, drawWaveform } from '../drawing/source-drawing';
import { PlayerActions, SourcesActions } from '../state/actions';
import { factGroups } from '../formatting/source-words';
import { dataRate } from '../formatting/quantities';
import { StripPicture, stripOf, stripText } from './strip-picture';

const RATE = { top: 0, height: 54 };
const WAVE = { top: 62, height: 34 };

/** All facts of one source, its data rate and its waveform, and the way to play it alone. */
@Component({
  selector: 'hone-source-detail',
  imports: [MatButtonModule, MatCheckboxModule, StripPicture],
  templateUrl: './source-detail.html',
  styleUrl: './source-detail.scss',
})
export class SourceDetail {
  readonly stripOf = stripOf;
  readonly stripText = stripText;
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly api = inject(Api);
  readonly source = input.required<Source>();
  readonly copy = input.required<LightCopy | null>();
  private readonly chart = viewChild<ElementRef<HTMLCanvasElement>>('chart');
  private readonly packets = signal<{ key: string; index: PacketIndex } | null>(null);
  private readonly peaks = signal<{ key: string; peaks: Uint8Array } | null>(null);
  /** Source and state of its file; other changes of the source do not reload it. */
  private readonly readPackets = computed(() => readOf(this.source(), this.source().structure !== null), {
    equal,
  });
  private readonly readPeaks = computed(() => readOf(this.source(), this.source().sound !== null), { equal });
  readonly groups = computed(() => factGroups(this.source(), this.copy()));
  readonly chartText = computed(() => {
    const { structure, sound } = this.source();
    const rate = structure
      ? `Data rate over quarters of a second: average ${dataRate(structure.averageBitsPerSecond)}, peak over a second ${dataRate(structure.peakBitsPerSecond)}`
      : '';
    return [rate, sound ? 'waveform of its sound below' : ''].filter(Boolean).join('; ');
  });
  readonly height = computed(() => {
    const { structure, sound } = this.source();
    return (structure ? RATE.height : 0) + (sound ? WAVE.height + 8 : 0);
  });

  constructor() {
    effect(() => {
      const { id, key } = this.readPackets();
      if (key)
        void this.api.packets(id).then(
          (bytes) => this.packets.set({ key, index: PacketIndex.from(bytes) }),
          () => undefined,
        );
    });
    effect(() => {
      const { id, key } = this.readPeaks();
      if (key)
        void this.api.peaks(id).then(
          (peaks) => this.peaks.set({ key, peaks }),
          () => undefined,
        );
    });
    redraw(this.chart, 'source', (canvas) => this.draw(canvas));
  }

  playAlone(): void {
    this.store.dispatch(PlayerActions.subjectChosen({ sourceId: this.source().id }));
    void this.router.navigate(['/work']);
  }

  setPremultiplied(premultiplied: boolean): void {
    const change = { sourceIds: [this.source().id], premultiplied };
    this.store.dispatch(SourcesActions.changeAsked({ change }));
  }

  close(): void {
    this.store.dispatch(SourcesActions.sourceOpened({ sourceId: null }));
  }

  private draw(canvas: HTMLCanvasElement): void {
    const { structure, sound } = this.source();
    const packets = this.packets();
    const peaks = this.peaks();
    canvas.style.height = `${this.height()}px`;
    const { context, width } = prepared(canvas);
    const palette = paletteOf(canvas);
    if (structure && packets?.key === this.readPackets().key)
      drawRate(context, width, RATE, packets.index, structure.averageBitsPerSecond, palette);
    const wave = structure ? WAVE : { ...WAVE, top: 0 };
    if (sound && peaks?.key === this.readPeaks().key)
      drawWaveform(context, width, wave, peaks.peaks, palette);
  }
}

interface Reading {
  readonly id: string;
  /** null when there is nothing to read. */
  readonly key: string | null;
}

const readOf = ({ id, stamp }: Source, isThere: boolean): Reading => ({
  id,
  key: isThere ? `${id} ${stamp}` : null,
});
const equal = (a: Reading, b: Reading): boolean => a.key === b.key && a.id === b.id;
