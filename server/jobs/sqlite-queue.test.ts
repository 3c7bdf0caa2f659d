import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Job } from '@hone/core/api';
import { pino } from 'pino';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { EventBus } from '../http/events.js';
import { openDatabase } from '../store/database.js';
import { jobs } from '../store/tables.js';
import type { JobContext, JobHandler } from './queue.js';
import { SqliteQueue } from './sqlite-queue.js';

type Opened = Awaited<ReturnType<typeof openDatabase>>;

describe('the queue', () => {
  let folder: string;
  let opened: Opened;
  let queue: SqliteQueue;
  let log: string[];
  let told: Job[];

  beforeEach(async () => {
    folder = await mkdtemp(join(tmpdir(), 'hone-queue-'));
    log = [];
    told = [];
    await open();
  });

  afterEach(async () => {
    await queue.stop();
    opened.close();
    await rm(folder, { recursive: true, force: true });
  });

  async function open(): Promise<void> {
    opened = await openDatabase(folder);
    const bus = new EventBus();
    bus.listen((event) => event.kind === 'job' && told.push(event.job));
    queue = new SqliteQueue(opened.database, bus, pino({ level: 'silent' }));
  }

  const handler = (
    kind: string,
    run: (context: JobContext) => Promise<void>,
    more: Partial<JobHandler> = {},
  ): JobHandler => ({
    kind,
    lane: 'heavy',
    priority: 1,
    run,
    abandoned: (subjectId, state) => {
      log.push(`${subjectId} ${state}`);
      return Promise.resolve();
    },
    ...more,
  });
  const add = (kind: string, subjectId: string): Promise<Job> =>
    queue.add({ projectId: 'p', kind, title: subjectId, subjectId });
  const untilAborted = ({ signal }: JobContext): Promise<void> =>
    new Promise((_, reject) => signal.addEventListener('abort', () => reject(new Error('stopped'))));

  it('runs one heavy job at a time, the important first, and light ones beside it', async () => {
    let release = (): void => undefined;
    const gate = new Promise<void>((resolve) => (release = resolve));
    queue.register(
      handler('copy', async ({ job }) => {
        log.push(job.subjectId);
        await gate;
      }),
    );
    queue.register(
      handler('export', ({ job }) => Promise.resolve(void log.push(job.subjectId)), { priority: 9 }),
    );
    queue.register(
      handler('hash', ({ job }) => Promise.resolve(void log.push(job.subjectId)), { lane: 'light' }),
    );
    await queue.start();
    await add('copy', 'copy 1');
    await expect.poll(() => log).toEqual(['copy 1']);
    const second = await add('copy', 'copy 2');
    await add('export', 'export');
    const hash = await add('hash', 'hash');
    await queue.finished(hash.id);
    expect(log).toEqual(['copy 1', 'hash']);
    release();
    await queue.finished(second.id);
    expect(log).toEqual(['copy 1', 'hash', 'export', 'copy 2']);
  });

  it('takes a second wish for the same thing as the first', async () => {
    queue.register(handler('copy', untilAborted));
    await queue.start();
    expect((await add('copy', 'a')).id).toBe((await add('copy', 'a')).id);
  });

  it('tells progress, and the time left once it can be known', async () => {
    queue.register(
      handler('copy', async ({ progress }) => {
        for (let step = 1; step <= 8; step++) {
          progress(step / 10);
          await new Promise((resolve) => setTimeout(resolve, 260));
        }
      }),
    );
    await queue.start();
    await queue.finished((await add('copy', 'a')).id);
    const running = told.filter(({ state }) => state === 'running');
    expect(running[0]!.secondsLeft).toBeNull();
    const last = running.at(-1)!;
    expect(last.progress).toBeGreaterThan(0.5);
    expect(last.secondsLeft).toBeGreaterThan(0.2);
    expect(last.secondsLeft).toBeLessThan(3);
    expect(told.at(-1)).toMatchObject({ state: 'done', progress: 1 });
  });

  it('cancels what runs and what waits, and takes away what is half made', async () => {
    queue.register(handler('copy', untilAborted));
    await queue.start();
    const first = await add('copy', 'first');
    const second = await add('copy', 'second');
    await expect.poll(() => told.some(({ state }) => state === 'running')).toBe(true);
    expect((await queue.cancel(second.id))!.state).toBe('cancelled');
    expect((await queue.cancel(first.id))!.state).toBe('cancelled');
    expect(log).toEqual(['second cancelled', 'first cancelled']);
    expect(await queue.cancel(first.id)).toBeUndefined();
  });

  it('says why a job failed', async () => {
    queue.register(handler('copy', () => Promise.reject(new Error('The drive is full.'))));
    await queue.start();
    const job = await queue.finished((await add('copy', 'a')).id);
    expect(job).toMatchObject({ state: 'failed', problem: 'The drive is full.' });
    expect(log).toEqual(['a failed']);
  });

  /** Starts again on the same database, as after a stop. */
  const again = async (): Promise<void> => {
    await queue.stop();
    opened.close();
    await open();
    queue.register(handler('copy', untilAborted));
  };
  const untilRunning = (attempt: number) =>
    expect.poll(() => told.filter(({ state }) => state === 'running').length).toBe(attempt);

  it('runs again after a restart what was cut off, and gives up on what is cut off again and again', async () => {
    queue.register(handler('copy', untilAborted));
    await queue.start();
    const { id } = await add('copy', 'a');
    for (let attempt = 1; attempt <= 3; attempt++) {
      await untilRunning(attempt);
      await again();
      // A process that is killed leaves its job as it was.
      await opened.database.update(jobs).set({ state: 'running', attempts: attempt });
      await queue.start();
    }
    const [job] = await queue.list('p');
    expect(job).toMatchObject({ id, state: 'failed', problem: expect.stringContaining('cut off') as string });
    expect(log).toEqual(['a failed']);
  });

  it('does not count it against a job that the server was stopped', async () => {
    queue.register(handler('copy', untilAborted));
    await queue.start();
    await add('copy', 'a');
    for (let attempt = 1; attempt <= 5; attempt++) {
      await untilRunning(attempt);
      await again();
      await queue.start();
    }
    await untilRunning(6);
    expect(log).toEqual([]);
  });

  it('starts although what a job was for is gone, and goes on with the others', async () => {
    queue.register(handler('copy', untilAborted));
    await queue.start();
    await add('copy', 'gone');
    await untilRunning(1);
    await again();
    await opened.database.update(jobs).set({ state: 'running', attempts: 3 });
    const abandoned = (): Promise<void> => Promise.reject(new Error('This light copy is not known.'));
    queue.register(handler('copy', () => Promise.resolve(), { abandoned }));
    await queue.start();
    expect(await queue.list('p')).toMatchObject([{ subjectId: 'gone', state: 'failed' }]);
    expect(await queue.finished((await add('copy', 'other')).id)).toMatchObject({ state: 'done' });
  });

  it('ends the jobs of what is removed, and no others', async () => {
    queue.register(handler('copy', untilAborted));
    await queue.start();
    await add('copy', 'a');
    await add('copy', 'b');
    await untilRunning(1);
    await queue.endFor(['a']);
    expect(log).toEqual(['a cancelled']);
    await untilRunning(2);
    expect([...(await queue.subjectsInWork())]).toEqual(['b']);
  });

  it('keeps how a job ended although another process holds the database for longer than anybody waits', async () => {
    let finish = (): void => undefined;
    queue.register(handler('copy', () => new Promise((resolve) => (finish = resolve))));
    await queue.start();
    const { id } = await add('copy', 'a');
    await untilRunning(1);
    const { createClient } = await import('@libsql/client');
    const other = createClient({ url: `file:${join(folder, 'hone.db')}` });
    const held = await other.transaction('write');
    finish();
    let beats = 0;
    const heart = setInterval(() => beats++, 20);
    await new Promise((resolve) => setTimeout(resolve, 4500));
    clearInterval(heart);
    // Waiting for the other process must not hold this one up: at a beat each 20 ms, 225 fit.
    expect(beats).toBeGreaterThan(100);
    await held.rollback();
    other.close();
    expect(await queue.finished(id)).toMatchObject({ state: 'done', progress: 1 });
  });

  it('refuses a database that a newer version wrote', async () => {
    await queue.stop();
    opened.close();
    const { createClient } = await import('@libsql/client');
    const client = createClient({ url: `file:${join(folder, 'hone.db')}` });
    await client.execute('PRAGMA user_version = 999');
    client.close();
    await expect(openDatabase(folder)).rejects.toThrow(/newer Hone/);
    await rm(folder, { recursive: true });
    await open();
  });
});
