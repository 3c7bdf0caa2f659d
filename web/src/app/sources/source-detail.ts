import { Component, computed, effect, ElementRef, inject, input, signal, viewChild } from '@angular/core';
import { Router } from '@angular/router';
import { MatButtonModule } from '@angular/material/button';
import { Store } from '@ngrx/store';
import type { LightCopy, Source } from '@hone/core/api';
import { PacketIndex } from '@hone/core/media';
import { Api } from '../api/api';
import { paletteOf, prepared } from '../drawing/axis';
import { drawRate, drawWaveform } from '../drawing/source-drawing';
import { PlayerActions, SourcesActions } from '../state/actions';
import { factGroups } from '../words/source-words';
import { bitRate } from '../words/quantities';
import { StripPicture } from './strip-picture';

const RATE = { top: 0, height: 54 };
const WAVE = { top: 62, height: 34 };

/** All facts of one source, its data rate and its waveform, and the way to play it alone. */
@Component({
  selector: 'hone-source-detail',
  imports: [MatButtonModule, StripPicture],
  templateUrl: './source-detail.html',
  styleUrl: './source-detail.scss',
})
export class SourceDetail {
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly api = inject(Api);
  readonly source = input.required<Source>();
  readonly copy = input.required<LightCopy | null>();
  private readonly chart = viewChild<ElementRef<HTMLCanvasElement>>('chart');
  private readonly packets = signal<{ id: string; index: PacketIndex } | null>(null);
  private readonly peaks = signal<{ id: string; peaks: Uint8Array } | null>(null);
  readonly groups = computed(() => factGroups(this.source(), this.copy()));
  readonly chartText = computed(() => {
    const { structure, sound } = this.source();
    const rate = structure
      ? `Data rate over quarters of a second: average ${bitRate(structure.averageBitsPerSecond)}, peak over a second ${bitRate(structure.peakBitsPerSecond)}`
      : '';
    return [rate, sound ? 'waveform of its sound below' : ''].filter(Boolean).join('; ');
  });
  readonly height = computed(() => {
    const { structure, sound } = this.source();
    return (structure ? RATE.height : 0) + (sound ? WAVE.height + 8 : 0);
  });

  constructor() {
    effect(() => {
      const { id, structure, stamp } = this.source();
      if (structure)
        void this.api.packets(id).then(
          (bytes) => this.packets.set({ id: id + stamp, index: PacketIndex.from(bytes) }),
          () => undefined,
        );
    });
    effect(() => {
      const { id, sound, stamp } = this.source();
      if (sound)
        void this.api.peaks(id).then(
          (peaks) => this.peaks.set({ id: id + stamp, peaks }),
          () => undefined,
        );
    });
    effect(() => this.draw());
  }

  playAlone(): void {
    this.store.dispatch(PlayerActions.subjectChosen({ sourceId: this.source().id }));
    void this.router.navigate(['/work']);
  }

  close(): void {
    this.store.dispatch(SourcesActions.sourceOpened({ sourceId: null }));
  }

  private draw(): void {
    const canvas = this.chart()?.nativeElement;
    const { id, stamp, structure, sound } = this.source();
    const packets = this.packets();
    const peaks = this.peaks();
    if (!canvas) return;
    canvas.style.height = `${this.height()}px`;
    const { context, width } = prepared(canvas);
    const palette = paletteOf(canvas);
    if (structure && packets?.id === id + stamp)
      drawRate(context, width, RATE, packets.index, structure.averageBitsPerSecond, palette);
    const wave = structure ? WAVE : { ...WAVE, top: 0 };
    if (sound && peaks?.id === id + stamp) drawWaveform(context, width, wave, peaks.peaks, palette);
  }
}
