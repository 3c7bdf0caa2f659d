import { Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import type { ExportEstimate, ExportRecord, Job } from '@hone/core/api';
import { formatTimecode, timecodeOf } from '@hone/core/time';
import { CODEC_CHOICES, DELIVERY_CODECS, type Delivery } from '@hone/core/render';
import { Api, sentenceOf } from '../api/api';
import { ExportActions, ProjectActions } from '../state/actions';
import { mediaFeature } from '../state/media.feature';
import { selectExports, selectLength, selectProject, selectSources, selectUsedIds } from '../state/selectors';
import { bytes, count, pixels, rateText, timeText, wait } from '../formatting/quantities';
import { ExportResult } from './export-result';

/** Delivery, what will be exported from, and the exports with their proofs. */
@Component({
  selector: 'hone-export-page',
  imports: [
    FormsModule,
    MatButtonModule,
    MatFormFieldModule,
    MatProgressBarModule,
    MatSelectModule,
    ExportResult,
  ],
  templateUrl: './export-page.html',
  styleUrl: './export-page.scss',
})
export class ExportPage {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly length = this.store.selectSignal(selectLength);
  private readonly sources = this.store.selectSignal(selectSources);
  private readonly jobs = this.store.selectSignal(mediaFeature.selectJobList);
  private readonly used = this.store.selectSignal(selectUsedIds);
  readonly project = this.store.selectSignal(selectProject);
  readonly exports = this.store.selectSignal(selectExports);
  readonly codecs = DELIVERY_CODECS.map((codec) => ({ codec, ...CODEC_CHOICES[codec] }));
  readonly qualities = [
    { value: 12, name: 'Very high, for later work (12)' },
    { value: 18, name: 'Visually lossless (18)' },
    { value: 23, name: 'Smaller, for the web (23)' },
  ];
  readonly paces = [
    { value: 'quick', name: 'Quick, larger file' },
    { value: 'balanced', name: 'Balanced' },
    { value: 'thorough', name: 'Thorough, smaller file' },
  ] as const;

  /** Number of files that the export is made of. */
  private readonly originals = computed(() => this.used().size);
  /** What will be made, in one sentence. */
  readonly summary = computed(() => {
    const project = this.project();
    if (!project) return '';
    const { size, codec } = project.delivery;
    const { timeline } = project;
    const length = formatTimecode(this.length(), { ...timecodeOf(timeline), dropFrame: false });
    const files = count(this.originals(), 'original', 'originals');
    return `One file of ${pixels(size)} at ${rateText(timeline.rate)}, ${length} long, in ${CODEC_CHOICES[codec].name}, from ${files}.`;
  });

  /** Prediction of time and size; null after a change. */
  readonly estimate = signal<ExportEstimate | null>(null);
  readonly estimating = signal(false);
  private abort: AbortController | undefined;
  readonly estimateText = computed(() => {
    const estimate = this.estimate();
    if (!estimate) return '';
    const how = estimate.sampledFrames
      ? `predicted from ${estimate.sampledFrames} frames that were made`
      : 'by its bit rate';
    return `About ${bytes(estimate.bytes)}, ${how}.`;
  });
  readonly sizes = computed(() => {
    const full = this.project()?.timeline.size;
    if (!full) return [];
    const even = (side: number): number => 2 * Math.round(side / 2);
    return [1, 2, 3, 4].map((divisor) => {
      const size = { width: even(full.width / divisor), height: even(full.height / divisor) };
      return { size, name: divisor === 1 ? `as the timeline, ${pixels(size)}` : pixels(size) };
    });
  });
  readonly sizeIndex = computed(() => {
    const size = this.project()?.delivery.size;
    return this.sizes().findIndex(
      (each) => each.size.width === size?.width && each.size.height === size.height,
    );
  });

  async predict(): Promise<void> {
    const project = this.project();
    if (!project) return;
    this.abort = new AbortController();
    this.estimating.set(true);
    try {
      this.estimate.set(await this.api.estimateExport(project.id, this.abort.signal));
    } catch (error) {
      if (!this.abort.signal.aborted)
        this.store.dispatch(ProjectActions.failed({ message: sentenceOf(error) }));
    } finally {
      this.estimating.set(false);
    }
  }

  stopPredicting(): void {
    this.abort?.abort();
  }

  setSize(index: number): void {
    const size = this.sizes()[index]?.size;
    if (size) this.edit({ size });
  }

  setRate(event: Event): void {
    const { valueAsNumber } = event.target as HTMLInputElement;
    if (valueAsNumber >= 0.5 && valueAsNumber <= 400) this.edit({ megabits: valueAsNumber });
  }

  /** Sets rate control: quality or bit rate. */
  setBy(by: 'quality' | 'rate'): void {
    this.edit({ megabits: by === 'quality' ? undefined : 12 });
  }

  readonly hasQuality = computed(() => CODEC_CHOICES[this.project()?.delivery.codec ?? 'h264'].hasQuality);

  /** Why no export can be made now, as a sentence; null when one can. */
  readonly hindrance = computed(() => {
    const project = this.project();
    if (!project) return 'Open a project first.';
    if (this.length() === 0) return 'There is nothing on the timeline yet.';
    const used = this.used();
    const waiting = this.sources().filter(({ id, state }) => used.has(id) && state !== 'ready');
    if (waiting.length)
      return `The export waits for its originals: ${waiting.map(({ name }) => name).join(', ')}.`;
    return null;
  });

  deliveryText({ delivery, createdAt }: ExportRecord): string {
    return `${pixels(delivery.size)} · ${CODEC_CHOICES[delivery.codec].name} · asked for at ${timeText(createdAt)}`;
  }

  jobOf(record: ExportRecord): Job | null {
    const jobs = this.jobs();
    return jobs.find(({ kind, subjectId }) => kind === 'export' && subjectId === record.id) ?? null;
  }

  left(job: Job): string {
    if (job.state === 'waiting') return 'waiting for other work';
    const done = `${Math.round(100 * job.progress)} %`;
    return job.secondsLeft === null ? done : `${done} · ${wait(job.secondsLeft)} left`;
  }

  edit(change: Partial<Delivery>): void {
    const project = this.project();
    this.estimate.set(null);
    if (project)
      this.store.dispatch(ProjectActions.deliveryEdited({ delivery: { ...project.delivery, ...change } }));
  }

  start(): void {
    this.store.dispatch(ExportActions.asked());
  }

  cancel(job: Job): void {
    this.store.dispatch(ProjectActions.jobCancelled({ jobId: job.id }));
  }
}
