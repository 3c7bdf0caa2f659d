import { Component, computed, inject, signal } from '@angular/core';
import { MatButtonModule } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatSlideToggleModule } from '@angular/material/slide-toggle';
import { Store } from '@ngrx/store';
import type { LightCopy, Source } from '@hone/core/api';
import { COPY_SCALES, copyPixels, USUAL_COPY_SCALE, type CopyScale } from '@hone/core/levers';
import { Api, sentenceOf } from '../api/api';
import { bytes, count, pixels, wait } from '../formatting/quantities';
import { Levers } from '../playback/levers';
import { CopyActions, ProjectActions } from '../state/actions';
import { mediaFeature } from '../state/media.feature';
import { selectCopyRows, selectTimeline, type CopyRow } from '../state/selectors';
import { rowsByDivisor } from '../state/copies-by-divisor';
import { priceOf } from '../state/copy-price';
import { PositionGains, type LeverPosition } from './position-gains';

/** A copy, or the place of one, as a line of the table. */
interface CopyLine {
  readonly id: string;
  readonly name: string;
  readonly text: string;
  /** Whether it is a further copy of the source above. */
  readonly isOther: boolean;
  readonly act: string;
  readonly label: string;
  readonly do: () => void;
}

/** Light copies of the sources on the timeline: whether they play, how large they are, and every one that there is. */
@Component({
  selector: 'hone-copy-board',
  imports: [MatButtonModule, MatButtonToggleModule, MatSlideToggleModule, PositionGains],
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
  readonly positions: readonly LeverPosition[] = [
    { name: 'originals', change: { lightCopies: false } },
    { name: 'copies', change: { lightCopies: true } },
  ];
  readonly readyCount = computed(() => this.rows().filter(({ copy }) => copy?.state === 'ready').length);
  /** Sources that are larger than copies are, and have none. */
  readonly larger = computed(() =>
    this.rows().filter(({ copy, divisor }) => divisor > 1 && (copy === null || copy.state === 'failed')),
  );
  /** Every copy that there is or could be, with what can be done to it. */
  readonly lines = computed((): readonly CopyLine[] =>
    this.rows().flatMap((row) => [
      this.lineOf(row),
      ...row.others.map((copy) => this.otherLineOf(copy, row.source)),
    ]),
  );
  /** Room on the drive for copies, bytes; null until it was asked for. */
  readonly room = signal<number | null>(null);
  /** Whether the copies of all larger sources were asked for and wait to be confirmed. */
  readonly isAsking = signal(false);
  readonly problem = signal<string | null>(null);
  readonly makeAllText = computed(() => `Make ${count(this.larger().length, 'light copy', 'light copies')}`);
  /** Time and size of all of them; null until each is measured. */
  readonly price = computed(() => priceOf(this.larger().map(({ estimate }) => estimate)));
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
    for (const [divisor, sourceIds] of rowsByDivisor(this.larger().filter(({ estimate }) => !estimate)))
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
    for (const [divisor, sourceIds] of rowsByDivisor(this.larger()))
      this.store.dispatch(CopyActions.asked({ sourceIds, divisor }));
  }

  private lineOf(row: CopyRow): CopyLine {
    const { source, copy, job, divisor } = row;
    const line = { id: source.id, name: source.name, text: this.state(row), isOther: false };
    if (job) {
      const cancel = (): void => this.store.dispatch(ProjectActions.jobCancelled({ jobId: job.id }));
      return { ...line, act: 'Cancel', label: `Cancel the copy of ${source.name}`, do: cancel };
    }
    if (copy?.state === 'ready')
      return {
        ...line,
        act: 'Delete',
        label: `Delete the copy of ${source.name}`,
        do: () => this.remove(copy),
      };
    const make = (): void => this.store.dispatch(CopyActions.asked({ sourceIds: [source.id], divisor }));
    return { ...line, act: 'Make', label: `Make a copy of ${source.name}`, do: make };
  }

  private otherLineOf(copy: LightCopy, { name }: Source): CopyLine {
    const why = copy.state === 'stale' ? 'stale: its source has changed' : 'of another size';
    return {
      ...{ id: copy.id, name: '', text: `${pixels(copy)} · ${bytes(copy.bytes)} · ${why}`, isOther: true },
      ...{ act: 'Delete', label: `Delete the copy of ${name} of ${copy.width} pixels` },
      do: () => this.remove(copy),
    };
  }

  private remove({ id }: LightCopy): void {
    this.store.dispatch(CopyActions.removed({ copyId: id }));
  }

  private state({ copy, job, estimate, size, divisor }: CopyRow): string {
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
}
