import { Component, computed, ElementRef, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { Store } from '@ngrx/store';
import type { Job } from '@hone/core/api';
import { ProjectActions, RigActions } from '../state/actions';
import { machineFeature } from '../state/machine.feature';
import { selectBusyJobs, selectFailedJobs } from '../state/selectors';
import { count, wait } from '../formatting/quantities';

/** List of all background work, with time left. */
@Component({
  selector: 'hone-background-work',
  imports: [MatButtonModule, MatProgressBarModule],
  templateUrl: './background-work.html',
  styleUrl: './background-work.scss',
  host: {
    '(document:keydown.escape)': 'open.set(false)',
    '(document:pointerdown)': 'closeFromOutside($event)',
  },
})
export class BackgroundWork {
  private readonly store = inject(Store);
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  readonly busy = this.store.selectSignal(selectBusyJobs);
  readonly failed = this.store.selectSignal(selectFailedJobs);
  readonly measuring = this.store.selectSignal(machineFeature.selectMeasuring);
  readonly open = signal(false);
  readonly running = computed(() => this.busy().find(({ state }) => state === 'running') ?? null);
  /** Share of what runs now that is done, per cent; null when nothing runs. */
  readonly share = computed(() => {
    const measuring = this.measuring();
    const running = this.running();
    return measuring ? Math.round(100 * measuring.done) : running ? this.percent(running) : null;
  });
  readonly measuringText = computed(() => {
    const measuring = this.measuring();
    return measuring && `Measuring ${measuring.what} · ${wait(measuring.secondsLeft)} left`;
  });
  readonly summary = computed(() => {
    const measuring = this.measuringText();
    if (measuring) return measuring;
    const running = this.running();
    const waiting = this.busy().length - (running ? 1 : 0);
    if (!running)
      return waiting
        ? `${count(waiting, 'piece', 'pieces')} of work waiting`
        : 'Nothing runs in the background';
    return `${running.title} · ${this.left(running)}${waiting ? ` · ${waiting} more` : ''}`;
  });

  closeFromOutside(event: Event): void {
    if (!this.element.contains(event.target as Node)) this.open.set(false);
  }

  left(job: Job): string {
    if (job.state === 'waiting') return 'waiting';
    return job.secondsLeft === null ? 'starting' : `${wait(job.secondsLeft)} left`;
  }

  cancel(job: Job): void {
    this.store.dispatch(ProjectActions.jobCancelled({ jobId: job.id }));
  }

  skip(): void {
    this.store.dispatch(RigActions.measurementCancelled());
  }

  percent(job: Job): number {
    return Math.round(100 * job.progress);
  }
}
