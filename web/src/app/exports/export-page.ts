import { Component, computed, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatButtonModule } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import type { ExportRecord, Job } from '@hone/core/api';
import { CODEC_CHOICES, DELIVERY_CODECS, type Delivery } from '@hone/core/render';
import { formatRational } from '@hone/core/time';
import { ExportActions, ProjectActions } from '../state/actions';
import { mediaFeature } from '../state/features';
import { selectExports, selectLength, selectProject, selectSources } from '../state/selectors';
import { pixels, wait } from '../words/quantities';
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
  private readonly length = this.store.selectSignal(selectLength);
  private readonly sources = this.store.selectSignal(selectSources);
  private readonly jobs = this.store.selectSignal(mediaFeature.selectJobs);
  readonly project = this.store.selectSignal(selectProject);
  readonly exports = this.store.selectSignal(selectExports);
  readonly codecs = DELIVERY_CODECS.map((codec) => ({ codec, ...CODEC_CHOICES[codec] }));
  readonly qualities = [
    { value: 12, name: 'Very high, for later work (12)' },
    { value: 18, name: 'As the original to the eye (18)' },
    { value: 23, name: 'Smaller, for the web (23)' },
  ];
  readonly paces = [
    { value: 'quick', name: 'Quick, larger file' },
    { value: 'balanced', name: 'Balanced' },
    { value: 'thorough', name: 'Thorough, smaller file' },
  ] as const;

  readonly summary = computed(() => {
    const project = this.project();
    if (!project) return '';
    const { size } = project.delivery;
    return `${pixels(size)} · ${formatRational(project.timeline.rate)} frames/s · ${this.length()} frames · ${CODEC_CHOICES[project.delivery.codec].name}`;
  });

  readonly hasQuality = computed(() => CODEC_CHOICES[this.project()?.delivery.codec ?? 'h264'].hasQuality);

  /** Why no export can be made now, as a sentence; null when one can. */
  readonly hindrance = computed(() => {
    const project = this.project();
    if (!project) return 'Open a project first.';
    if (this.length() === 0) return 'There is nothing on the timeline yet.';
    const used = new Set(
      project.timeline.tracks.flatMap((track) => track.clips.map(({ sourceId }) => sourceId)),
    );
    const waiting = this.sources().filter(({ id, state }) => used.has(id) && state !== 'ready');
    if (waiting.length)
      return `The export waits for its originals: ${waiting.map(({ name }) => name).join(', ')}.`;
    return null;
  });

  jobOf(record: ExportRecord): Job | null {
    const jobs = Object.values(this.jobs());
    return jobs.find(({ kind, subjectId }) => kind === 'export' && subjectId === record.id) ?? null;
  }

  left(job: Job): string {
    if (job.state === 'waiting') return 'waiting for other work';
    const done = `${Math.round(100 * job.progress)} %`;
    return job.secondsLeft === null ? done : `${done} · ${wait(job.secondsLeft)} left`;
  }

  edit(change: Partial<Delivery>): void {
    const project = this.project();
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
