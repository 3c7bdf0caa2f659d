import { randomUUID } from 'node:crypto';
import { setTimeout as sleep } from 'node:timers/promises';
import { isHeldJob, type Job, type JobState } from '@hone/core/api';
import { and, asc, desc, eq, inArray } from 'drizzle-orm';
import type { Logger } from 'pino';
import { CancelledError } from '../ffmpeg/process.js';
import type { EventBus } from '../http/events.js';
import { playbackHold } from '../process/playback-hold.js';
import type { Database } from '../store/database.js';
import { jobs } from '../store/tables.js';
import type { JobHandler, JobQueue, NewJob } from './queue.js';

type Row = typeof jobs.$inferSelect;

interface Running {
  readonly row: Row;
  readonly abort: AbortController;
  readonly lane: JobHandler['lane'];
  /** Recent progress, for the estimate of the time left. */
  readonly pace: { at: number; progress: number }[];
  readonly done: Promise<void>;
  progress: number;
  toldAt: number;
  cancelled: boolean;
}

const TELL_EVERY_MS = 250;
const LISTED = 100;
/** Number of interruptions after which a job counts as the cause of the server's end. */
const MOST_ATTEMPTS = 3;
/** Waits between attempts to write to the database. */
const FIRST_RETRY_MS = 100;
const LONGEST_RETRY_MS = 5000;
const PUMP_AGAIN_MS = 2000;
/** Period over which the rate of a job is computed. */
const PACE_MS = 15_000;
/** Shortest time from which a rate is computed. */
const SHORTEST_PACE_MS = 1500;

/** Jobs in one table of the database, run in this process. */
export class SqliteQueue implements JobQueue {
  private readonly handlers = new Map<string, JobHandler>();
  private readonly running = new Map<string, Running>();
  private readonly waiters = new Map<string, ((job: Job) => void)[]>();
  private accepting = false;
  private pumping: Promise<void> | undefined;
  private pumpAgain = false;
  private readonly stopping = new AbortController();

  constructor(
    private readonly database: Database,
    private readonly bus: EventBus,
    private readonly log: Logger,
  ) {}

  register(handler: JobHandler): void {
    this.handlers.set(handler.kind, handler);
  }

  async start(): Promise<void> {
    const cutOff = await this.database.select().from(jobs).where(eq(jobs.state, 'running'));
    for (const row of cutOff) {
      const handler = this.handlers.get(row.kind);
      if (handler && row.attempts < MOST_ATTEMPTS) {
        await this.change(row, { state: 'waiting', progress: 0 });
      } else {
        const problem = 'It was cut off several times and is not tried again. Start it once more by hand.';
        await this.abandon(row, 'failed', problem);
        await this.change(row, { state: 'failed', problem });
      }
    }
    this.accepting = true;
    this.pump();
  }

  async stop(): Promise<void> {
    this.accepting = false;
    this.stopping.abort();
    await this.pumping;
    const running = [...this.running.values()];
    for (const { abort } of running) abort.abort();
    await Promise.allSettled(running.map(({ done }) => done));
  }

  async add(job: NewJob): Promise<Job> {
    const handler = this.handlers.get(job.kind);
    if (!handler) throw new Error(`There is no handler for jobs of the kind ${job.kind}.`);
    const [same] = await this.database
      .select()
      .from(jobs)
      .where(
        and(
          eq(jobs.kind, job.kind),
          eq(jobs.subjectId, job.subjectId),
          inArray(jobs.state, ['waiting', 'running']),
        ),
      );
    if (same) return this.jobOf(same);
    const row: Row = {
      ...job,
      id: randomUUID(),
      payload: job.payload ?? null,
      state: 'waiting',
      priority: handler.priority,
      progress: 0,
      problem: null,
      attempts: 0,
      createdAt: new Date().toISOString(),
    };
    await this.database.insert(jobs).values(row);
    this.tell(row);
    this.pump();
    return this.jobOf(row);
  }

  async cancel(id: string): Promise<Job | undefined> {
    const running = this.running.get(id);
    if (running) {
      running.cancelled = true;
      running.abort.abort();
      await running.done;
    } else {
      const [row] = await this.database
        .select()
        .from(jobs)
        .where(and(eq(jobs.id, id), eq(jobs.state, 'waiting')));
      if (!row) return undefined;
      await this.change(row, { state: 'cancelled' });
      await this.abandon(row, 'cancelled', null);
    }
    const [row] = await this.database.select().from(jobs).where(eq(jobs.id, id));
    return row && this.jobOf(row);
  }

  async endFor(subjectIds: readonly string[]): Promise<void> {
    if (subjectIds.length === 0) return;
    const open = await this.database
      .select({ id: jobs.id })
      .from(jobs)
      .where(and(inArray(jobs.subjectId, [...subjectIds]), inArray(jobs.state, ['waiting', 'running'])));
    for (const { id } of open) await this.cancel(id);
  }

  async subjectsInWork(): Promise<ReadonlySet<string>> {
    const open = await this.database
      .select({ subjectId: jobs.subjectId })
      .from(jobs)
      .where(inArray(jobs.state, ['waiting', 'running']));
    return new Set(open.map(({ subjectId }) => subjectId));
  }

  async list(projectId: string): Promise<Job[]> {
    const rows = await this.database
      .select()
      .from(jobs)
      .where(eq(jobs.projectId, projectId))
      .orderBy(desc(jobs.createdAt))
      .limit(LISTED);
    return rows.map((row) => this.jobOf(row));
  }

  async finished(id: string): Promise<Job> {
    const [row] = await this.database.select().from(jobs).where(eq(jobs.id, id));
    if (!row) throw new Error(`There is no job ${id}.`);
    if (row.state !== 'waiting' && row.state !== 'running') return this.jobOf(row);
    return new Promise((resolve) => {
      this.waiters.set(id, [...(this.waiters.get(id) ?? []), resolve]);
    });
  }

  private pump(): void {
    if (this.pumping) {
      this.pumpAgain = true;
      return;
    }
    this.pumping = this.startWhatCan()
      .catch(async (error: unknown) => {
        this.log.error({ err: error }, 'the job queue could not go on; it tries again');
        await this.pause(PUMP_AGAIN_MS);
        this.pumpAgain = this.accepting;
      })
      .finally(() => {
        this.pumping = undefined;
        if (!this.pumpAgain) return;
        this.pumpAgain = false;
        this.pump();
      });
  }

  private async startWhatCan(): Promise<void> {
    if (!this.accepting) return;
    const waiting = await this.database
      .select()
      .from(jobs)
      .where(eq(jobs.state, 'waiting'))
      .orderBy(desc(jobs.priority), asc(jobs.createdAt));
    for (const row of waiting) {
      const handler = this.handlers.get(row.kind);
      if (!handler || [...this.running.values()].some(({ lane }) => lane === handler.lane)) continue;
      const started = await this.change(row, { state: 'running', attempts: row.attempts + 1, progress: 0 });
      this.launch(started, handler);
    }
  }

  private launch(row: Row, handler: JobHandler): void {
    const abort = new AbortController();
    const running: Running = {
      row,
      abort,
      lane: handler.lane,
      pace: [{ at: performance.now(), progress: 0 }],
      progress: 0,
      toldAt: 0,
      cancelled: false,
      done: Promise.resolve().then(() => this.work(running, handler)),
    };
    this.running.set(row.id, running);
  }

  private async work(running: Running, handler: JobHandler): Promise<void> {
    const { row, abort } = running;
    try {
      const context = {
        job: this.jobOf(row),
        payload: row.payload,
        signal: abort.signal,
        progress: (done: number) => this.progress(running, done),
      };
      const run = (): Promise<void> => handler.run(context);
      await (isHeldJob(handler.kind) ? playbackHold.run(run) : run());
      await this.end(running, handler, 'done', null);
    } catch (error) {
      const stopped = error instanceof CancelledError || abort.signal.aborted;
      if (stopped && !running.cancelled) {
        // The server stops: the job waits for the next start, and this was no fault of its own.
        this.running.delete(row.id);
        const values = { state: 'waiting', attempts: Math.max(0, row.attempts - 1) } as const;
        await this.change(row, values).catch((fault: unknown) => {
          this.log.error({ err: fault, kind: row.kind }, 'a job that was stopped is counted as cut off');
        });
        return;
      }
      const problem = stopped ? null : error instanceof Error ? error.message : String(error);
      if (problem) this.log.warn({ kind: row.kind, subject: row.subjectId, err: error }, 'job failed');
      await this.end(running, handler, stopped ? 'cancelled' : 'failed', problem);
    }
  }

  private async end(
    running: Running,
    handler: JobHandler,
    state: JobState,
    problem: string | null,
  ): Promise<void> {
    const { row } = running;
    if (state === 'failed' || state === 'cancelled') await this.abandon(row, state, problem, handler);
    if (state === 'done') running.progress = 1;
    const { progress } = running;
    const ended = await this.untilKept(row, { state, problem, progress });
    this.running.delete(row.id);
    for (const resolve of this.waiters.get(row.id) ?? []) resolve(this.jobOf(ended));
    this.waiters.delete(row.id);
    this.pump();
  }

  /** Deletes incomplete files of a job; those that cannot be deleted now are deleted at the next start. */
  private async abandon(
    row: Row,
    state: 'failed' | 'cancelled',
    problem: string | null,
    handler = this.handlers.get(row.kind),
  ): Promise<void> {
    try {
      await handler?.abandoned?.(row.subjectId, state, problem);
    } catch (error) {
      this.log.warn({ err: error, kind: row.kind }, 'what a job left half made could not be removed');
    }
  }

  /** Saves the result of a job, and retries until the database can be written or the server stops. */
  private async untilKept(row: Row, values: Partial<Row>): Promise<Row> {
    for (let waitMs = FIRST_RETRY_MS; ; waitMs = Math.min(LONGEST_RETRY_MS, 2 * waitMs)) {
      try {
        return await this.change(row, values);
      } catch (error) {
        if (this.stopping.signal.aborted) return { ...row, ...values };
        this.log.warn({ err: error, kind: row.kind }, 'how a job ended could not be kept yet; trying again');
        await this.pause(waitMs);
      }
    }
  }

  private async pause(ms: number): Promise<void> {
    await sleep(ms, undefined, { signal: this.stopping.signal }).catch(() => undefined);
  }

  private progress(running: Running, done: number): void {
    running.progress = Math.min(1, Math.max(running.progress, done));
    const now = performance.now();
    if (now - running.toldAt < TELL_EVERY_MS) return;
    running.toldAt = now;
    running.pace.push({ at: now, progress: running.progress });
    while (running.pace.length > 2 && now - running.pace[0]!.at > PACE_MS) running.pace.shift();
    this.tell(running.row);
  }

  private async change(row: Row, values: Partial<Row>): Promise<Row> {
    await this.database.update(jobs).set(values).where(eq(jobs.id, row.id));
    const changed = { ...row, ...values };
    this.tell(changed);
    return changed;
  }

  private tell(row: Row): void {
    this.bus.emit({ kind: 'job', job: this.jobOf(row) });
  }

  private jobOf(row: Row): Job {
    const running = this.running.get(row.id);
    const progress = running?.progress ?? row.progress;
    const { id, projectId, kind, title, subjectId, state, problem, createdAt, payload } = row;
    const ranges = this.handlers.get(kind)?.rangesOf?.(payload);
    return {
      id,
      projectId,
      kind,
      title,
      subjectId,
      state,
      problem,
      createdAt,
      progress,
      secondsLeft: running ? secondsLeft(running) : null,
      ...(ranges ? { ranges } : {}),
    };
  }
}

function secondsLeft({ pace, progress }: Running): number | null {
  const first = pace[0]!;
  const last = pace.at(-1)!;
  const gained = last.progress - first.progress;
  const ms = last.at - first.at;
  return gained > 0 && ms >= SHORTEST_PACE_MS ? (ms * (1 - progress)) / gained / 1000 : null;
}
