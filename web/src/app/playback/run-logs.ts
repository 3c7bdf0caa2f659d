import { inject, Injectable, signal, type Signal } from '@angular/core';
import type { RunRecord } from '@hone/core/api';
import { FrameLog, type RunSample } from '@hone/core/playback';
import { Api } from '../api/api';

const KEPT = 12;

/** Frame logs of runs. They are large and never change, so they stay out of the store. */
@Injectable({ providedIn: 'root' })
export class RunLogs {
  private readonly api = inject(Api);
  private readonly logs = signal<ReadonlyMap<string, FrameLog>>(new Map());
  private readonly asked = new Set<string>();

  private readonly sampled = signal<ReadonlyMap<string, readonly RunSample[]>>(new Map());

  /** Machine samples of runs, as far as they are loaded. */
  readonly samples: Signal<ReadonlyMap<string, readonly RunSample[]>> = this.sampled.asReadonly();

  /** The log of the run that is under way; it fills without telling. */
  readonly live = signal<FrameLog | null>(null);

  /** Logs by run, as far as they are here. */
  readonly all: Signal<ReadonlyMap<string, FrameLog>> = this.logs.asReadonly();

  remember(id: string, log: FrameLog): void {
    const kept = [...this.logs()].filter(([key]) => key !== id).slice(1 - KEPT);
    this.logs.set(new Map([...kept, [id, log]]));
  }

  /** Fetches the samples of a run unless they are here. */
  wantSamples(run: RunRecord | null): void {
    const key = `samples of ${run?.id}`;
    if (!run || this.sampled().has(run.id) || this.asked.has(key)) return;
    this.asked.add(key);
    void this.api
      .runSamples(run.id)
      .then((samples) =>
        this.sampled.update((all) => new Map([...[...all].slice(1 - KEPT), [run.id, samples]])),
      )
      .catch(() => undefined)
      .finally(() => this.asked.delete(key));
  }

  /** Fetches the log of a run unless it is here. */
  want(run: RunRecord | null): void {
    if (!run || this.logs().has(run.id) || this.asked.has(run.id)) return;
    this.asked.add(run.id);
    void this.api
      .runLog(run.id)
      .then((values) => this.remember(run.id, new FrameLog(run.facts.firstFrame, values)))
      .catch(() => undefined)
      .finally(() => this.asked.delete(run.id));
  }
}
