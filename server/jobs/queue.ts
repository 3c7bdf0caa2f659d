import type { Job } from '@hone/core/api';
import type { FrameRange } from '@hone/core/timeline';

/** A job as it is put in. */
export interface NewJob {
  readonly projectId: string;
  readonly kind: string;
  readonly title: string;
  /** Id of the object it makes or changes. A second job of one kind and subject is not queued. */
  readonly subjectId: string;
  readonly payload?: unknown;
}

export interface JobContext {
  readonly job: Job;
  readonly payload: unknown;
  /** Aborted when the user cancels or the server stops. */
  readonly signal: AbortSignal;
  /** @param done 0 to 1 */
  progress(done: number): void;
}

/** Handler of one kind of job. It can run again from the start at any time. */
export interface JobHandler {
  readonly kind: string;
  /** Jobs of the heavy lane run one at a time, since each uses all cores; those of the light lane run beside them. */
  readonly lane: 'heavy' | 'light';
  /** Larger goes first. */
  readonly priority: number;
  run(context: JobContext): Promise<void>;
  /** Timeline frames that a job renders. */
  rangesOf?(payload: unknown): readonly FrameRange[];
  /** Called when a job fails or is cancelled, to delete incomplete files. */
  abandoned?(subjectId: string, state: 'failed' | 'cancelled', problem: string | null): Promise<void>;
}

/** Persistent queue that runs jobs; the interface also fits a queue shared by several machines. */
export interface JobQueue {
  register(handler: JobHandler): void;
  /** Begins to run jobs, those first that a stop or a crash cut off. */
  start(): Promise<void>;
  /** Stops what runs; it is run again after the next start. */
  stop(): Promise<void>;
  add(job: NewJob): Promise<Job>;
  /** @returns the job, or undefined when there is none that can still be cancelled */
  cancel(id: string): Promise<Job | undefined>;
  /** Ends all jobs for subjects that are going, before they are gone. */
  endFor(subjectIds: readonly string[]): Promise<void>;
  /** Subjects of waiting and running jobs. */
  subjectsInWork(): Promise<ReadonlySet<string>>;
  /** Jobs that wait or run, and those that ended last. */
  list(projectId: string): Promise<Job[]>;
  /** Resolves when a job has ended. */
  finished(id: string): Promise<Job>;
}
