import { Component, computed, input, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import type { ExportRecord } from '@hone/core/api';
import { CODEC_CHOICES } from '@hone/core/render';
import { bytes, pixels } from '../words/quantities';

/** A finished export: the film, and the proof that it shows the originals. */
@Component({
  selector: 'hone-export-result',
  imports: [MatButtonModule],
  templateUrl: './export-result.html',
  styleUrl: './export-result.scss',
})
export class ExportResult {
  readonly record = input.required<ExportRecord>();
  readonly failed = signal(false);
  /** Masters are for other programs; of the others the browser itself says whether it plays them. */
  readonly unplayable = computed(
    () => !CODEC_CHOICES[this.record().delivery.codec].hasQuality || this.failed(),
  );
  readonly codecName = computed(() => CODEC_CHOICES[this.record().delivery.codec].name);
  readonly url = computed(() => `/media/exports/${this.record().id}`);
  readonly title = computed(() => {
    const { name, delivery, bytes: size, createdAt } = this.record();
    return `${name} · ${pixels(delivery.size)} · ${bytes(size)} · ${createdAt.slice(0, 16).replace('T', ' ')}`;
  });
  readonly proof = computed(() => this.record().proof);
  readonly worst = computed(() => {
    const frames = this.proof()?.frames ?? [];
    return frames.length ? frames.reduce((least, frame) => (frame.ssim < least.ssim ? frame : least)) : null;
  });
  readonly mean = computed(() => {
    const frames = this.proof()?.frames ?? [];
    return frames.reduce((sum, { ssim }) => sum + ssim, 0) / Math.max(1, frames.length);
  });
  readonly bytes = bytes;

  barHeight(ssim: number): number {
    // From 0.5 up, where pictures begin to be alike at all.
    return Math.max(3, 100 * (2 * ssim - 1));
  }

  download(): string {
    return `${this.url()}?download`;
  }
}
