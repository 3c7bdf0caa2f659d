import { Component, computed, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatSlideToggleModule } from '@angular/material/slide-toggle';
import { Store } from '@ngrx/store';
import type { LightCopy } from '@hone/core/api';
import { COPY_SCALES, copyPixels, USUAL_COPY_SCALE, type CopyScale } from '@hone/core/levers';
import { Api, sentenceOf } from '../api/api';
import { bytes, count, pixels, wait } from '../formatting/quantities';
import { Levers } from '../playback/levers';
import { CopyActions, ProjectActions } from '../state/actions';
import { mediaFeature } from '../state/features';
import { selectCopyRows, selectTimeline, type CopyRow } from '../state/selectors';
import { copiesByDivisor } from './copies-by-divisor';

/** Light copies of the sources on the timeline: whether they play, how large they are, and every one that there is. */
@Component({
  selector: 'hone-copy-board',
  imports: [MatButtonModule, MatButtonToggleModule, MatSlideToggleModule],
  templateUrl: './copy-board.html',
  styleUrl: './lever-board.scss',
})
export class CopyBoard {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly timeline = this.store.selectSignal(selectTimeline);
  private readonly estimating = this.store.selectSignal(mediaFeature.selectEstimating);
  readonly levers = inject(Levers);
  readonly tuning = this.levers.tuning;
  readonly rows = this.store.selectSignal(selectCopyRows);
  readonly scales = COPY_SCALES;
  readonly scale = computed(() => this.tuning()?.copyScale ?? USUAL_COPY_SCALE);
  readonly sizeText = computed(() => {
    const timeline = this.timeline();
    const tuning = this.tuning();
    return timeline && tuning ? pixels(copyPixels(timeline.size, tuning)) : '';
  });
  readonly readyCount = computed(() => this.rows().filter(({ copy }) => copy?.state === 'ready').length);
  /** Sources that are larger than copies are, and have none. */
  readonly larger = computed(() =>
    this.rows().filter(({ copy, divisor }) => divisor > 1 && (copy === null || copy.state === 'failed')),
  );
  /** Room on the drive for copies, bytes; null until it was asked for. */
  readonly room = signal<number | null>(null);
  /** Whether the copies of all larger sources were asked for and wait to be confirmed. */
  readonly isAsking = signal(false);
  readonly problem = signal<string | null>(null);
  readonly makeAllText = computed(() => `Make ${count(this.larger().length, 'light copy', 'light copies')}`);
  /** Time and size of all of them; null until each is measured. */
  readonly price = computed(() => {
    const rows = this.larger();
    if (rows.length === 0 || rows.some(({ estimate }) => estimate === null)) return null;
    return {
      seconds: rows.reduce((sum, { estimate }) => sum + estimate!.seconds, 0),
      bytes: rows.reduce((sum, { estimate }) => sum + estimate!.bytes, 0),
    };
  });
  readonly priceText = computed(() => {
    const [price, room] = [this.price(), this.room()];
    if (!price || room === null)
      return this.estimating() || room === null ? 'Measuring time and size …' : 'Not measured yet.';
    return `About ${wait(price.seconds)} · ${bytes(price.bytes)} of ${bytes(room)} free`;
  });
  readonly fits = computed(() => {
    const [price, room] = [this.price(), this.room()];
    return price !== null && room !== null && price.bytes < room;
  });

  resize(copyScale: CopyScale): void {
    this.isAsking.set(false);
    this.levers.move({ copyScale: copyScale === USUAL_COPY_SCALE ? undefined : copyScale });
  }

  atImport(isOn: boolean): void {
    this.levers.move({ copiesAtImport: isOn || undefined });
  }

  /** Measures what the copies of all larger sources would take, before anything is made. */
  async ask(): Promise<void> {
    this.isAsking.set(true);
    this.room.set(null);
    for (const [divisor, sourceIds] of this.groups(({ estimate }) => estimate === null))
      this.store.dispatch(CopyActions.estimateAsked({ sourceIds, divisor }));
    try {
      this.room.set((await this.api.copyRoom()).freeBytes);
      this.problem.set(null);
    } catch (error) {
      this.problem.set(sentenceOf(error));
    }
  }

  makeAll(): void {
    this.isAsking.set(false);
    for (const [divisor, sourceIds] of this.groups())
      this.store.dispatch(CopyActions.asked({ sourceIds, divisor }));
  }

  make({ source, divisor }: CopyRow): void {
    this.store.dispatch(CopyActions.asked({ sourceIds: [source.id], divisor }));
  }

  remove(copy: LightCopy): void {
    this.store.dispatch(CopyActions.removed({ copyId: copy.id }));
  }

  cancel({ job }: CopyRow): void {
    if (job) this.store.dispatch(ProjectActions.jobCancelled({ jobId: job.id }));
  }

  state({ copy, job, estimate, size, divisor }: CopyRow): string {
    if (copy?.state === 'ready') {
      const likeness = copy.likeness
        ? ` · SSIM ${copy.likeness.ssim.toFixed(3)} · ${copy.likeness.psnrDb.toFixed(1)} dB`
        : '';
      return `${pixels(copy)} · ${bytes(copy.bytes)}${likeness}`;
    }
    if (copy?.state === 'failed') return 'could not be made; see background work for the reason';
    if (copy?.state === 'making') {
      if (job?.state !== 'running') return 'waiting';
      return `${Math.round(100 * job.progress)} %${job.secondsLeft === null ? '' : ` · ${wait(job.secondsLeft)} left`}`;
    }
    if (estimate) return `none · about ${wait(estimate.seconds)}, ${bytes(estimate.bytes)}`;
    return divisor > 1 ? `none · would be ${pixels(size)}` : 'none · no larger than copies are';
  }

  otherText(copy: LightCopy): string {
    const why = copy.state === 'stale' ? 'stale: its source has changed' : 'of another size';
    return `${pixels(copy)} · ${bytes(copy.bytes)} · ${why}`;
  }

  private groups(isWanted: (row: CopyRow) => boolean = () => true): ReturnType<typeof copiesByDivisor> {
    const rows = this.larger().filter(isWanted);
    return copiesByDivisor(rows.map(({ source, divisor }) => ({ sourceId: source.id, divisor })));
  }
}
