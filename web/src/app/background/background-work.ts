import { Component, computed, ElementRef, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatProgressBarModule } from '@angular/material/progress-bar';
import { Store } from '@ngrx/store';
import type { Job } from '@hone/core/api';
import { PlayerActions, ProjectActions, RigActions } from '../state/actions';
import { machineFeature } from '../state/machine.feature';
import { playbackFeature } from '../state/playback.feature';
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
  readonly filling = this.store.selectSignal(playbackFeature.selectFilling);
  readonly open = signal(false);
  readonly running = computed(() => this.busy().find(({ state }) => state === 'running') ?? null);
  /** Share of what runs now that is done, per cent; null when nothing runs. */
  readonly share = computed(() => {
    const measuring = this.measuring();
    if (measuring) return Math.round(100 * measuring.done);
    const running = this.running();
    return this.fillingShare() ?? (running && this.percent(running));
  });
  readonly fillingShare = computed(() => {
    const filling = this.filling();
    return filling && Math.round((100 * filling.done) / filling.all);
  });
  readonly fillingText = computed(() => {
    const filling = this.filling();
    if (!filling) return null;
    const left = filling.secondsLeft === null ? '' : ` · ${wait(filling.secondsLeft)} left`;
    return `${filling.done} of ${filling.all} frames are in memory${left}`;
  });
  readonly measuringText = computed(() => {
    const measuring = this.measuring();
    return measuring && `Measuring ${measuring.what} · ${wait(measuring.secondsLeft)} left`;
  });
  readonly summary = computed(() => {
    const measuring = this.measuringText();
    if (measuring) return measuring;
    const filling = this.fillingText();
    if (filling) return `Making what was dropped · ${filling}`;
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

  stopFilling(): void {
    this.store.dispatch(PlayerActions.fillingCancelled());
  }

  skip(): void {
    this.store.dispatch(RigActions.measurementCancelled());
  }

  percent(job: Job): number {
    return Math.round(100 * job.progress);
  }
}
