import { Component, computed, input, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatExpansionModule } from '@angular/material/expansion';
import type { ExportRecord } from '@hone/core/api';
import { CODEC_CHOICES, type DeliveryCodec } from '@hone/core/render';
import { bytes, pixels, timeText } from '../formatting/quantities';

/** The media types under which a browser is asked whether it plays what Hone delivers. */
const PLAYED_TYPES: Readonly<Partial<Record<DeliveryCodec, string>>> = {
  h264: 'video/mp4; codecs="avc1.640033"',
  h265: 'video/mp4; codecs="hvc1.1.6.L153.B0"',
  vp9: 'video/webm; codecs="vp9"',
  av1: 'video/mp4; codecs="av01.0.08M.08"',
};

function canPlay(codec: DeliveryCodec): boolean {
  const type = PLAYED_TYPES[codec];
  return type === undefined || document.createElement('video').canPlayType(type) !== '';
}

/** A finished export: the film, and the proof that it shows the originals. */
@Component({
  selector: 'hone-export-result',
  imports: [MatButtonModule, MatExpansionModule],
  templateUrl: './export-result.html',
  styleUrl: './export-result.scss',
})
export class ExportResult {
  readonly record = input.required<ExportRecord>();
  readonly failed = signal(false);
  /** Whether the browser plays the file; masters are for other programs. */
  readonly unplayable = computed(
    () =>
      !CODEC_CHOICES[this.record().delivery.codec].hasQuality ||
      this.failed() ||
      !canPlay(this.record().delivery.codec),
  );
  readonly strip = computed(() => `/media/export-strips/${this.record().id}`);
  readonly hasNoStrip = signal(false);
  readonly codecName = computed(() => CODEC_CHOICES[this.record().delivery.codec].name);
  readonly url = computed(() => `/media/exports/${this.record().id}`);
  readonly title = computed(() => {
    const { name, delivery, bytes: size, createdAt } = this.record();
    return `${name} · ${pixels(delivery.size)} · ${this.codecName()} · ${bytes(size)} · ${timeText(createdAt)}`;
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

  // A browser that plays only the sound of a file says that it plays, and shows nothing.
  look(event: Event): void {
    if ((event.target as HTMLVideoElement).videoWidth === 0) this.failed.set(true);
  }

  barHeight(ssim: number): number {
    // From 0.5 up, where pictures begin to be alike at all.
    return Math.max(3, 100 * (2 * ssim - 1));
  }

  download(): string {
    return `${this.url()}?download`;
  }
}
