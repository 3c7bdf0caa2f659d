import { AsyncLocalStorage } from 'node:async_hooks';
import { once } from 'node:events';

/** Work stays held for so long after playback was reported, ms: the page that plays may be closed meanwhile. */
const LEASE_MS = 3000;

/**
 * Holds background work while something plays: its programs are stopped where they are and continue afterwards, and its
 * own loops wait. A system that cannot stop a program lets it go on.
 */
export class PlaybackHold {
  private readonly work = new AsyncLocalStorage<true>();
  private readonly programs = new Set<number>();
  private lease: NodeJS.Timeout | undefined;
  private held: AbortController | undefined;
  private releasedAt = -Infinity;

  /** @param leaseMs time after which work goes on by itself, ms */
  constructor(private readonly leaseMs = LEASE_MS) {}

  get isHeld(): boolean {
    return this.held !== undefined;
  }

  /** Runs work that is held during playback, with whatever programs it starts. */
  run<T>(work: () => Promise<T>): Promise<T> {
    return this.work.run(true, work);
  }

  /** Holds work, or holds it for longer. */
  hold(): void {
    clearTimeout(this.lease);
    this.lease = setTimeout(() => this.release(), this.leaseMs);
    this.lease.unref();
    if (this.held) return;
    this.held = new AbortController();
    for (const pid of this.programs) send(pid, 'SIGSTOP');
  }

  release(): void {
    clearTimeout(this.lease);
    for (const pid of this.programs) send(pid, 'SIGCONT');
    if (this.held) this.releasedAt = performance.now();
    this.held?.abort();
    this.held = undefined;
  }

  /** Takes a program that was started by held work. @returns lets it go, once it has ended */
  adopt(pid: number): () => void {
    if (!this.work.getStore()) return () => undefined;
    this.programs.add(pid);
    if (this.isHeld) send(pid, 'SIGSTOP');
    return () => this.programs.delete(pid);
  }

  /** Whether a program is stopped, or was stopped within a time before now, ms. */
  wasStopped(pid: number | undefined, withinMs: number): boolean {
    if (pid === undefined || !this.programs.has(pid)) return false;
    return this.isHeld || performance.now() - this.releasedAt < withinMs;
  }

  /** Resolves when the work that calls it may go on, or its own signal tells it to end. */
  async passed(signal?: AbortSignal): Promise<void> {
    while (this.held && this.work.getStore() && !signal?.aborted)
      await once(AbortSignal.any([this.held.signal, ...(signal ? [signal] : [])]), 'abort');
  }
}

function send(pid: number, signal: 'SIGSTOP' | 'SIGCONT'): void {
  try {
    process.kill(pid, signal);
  } catch {
    // It has ended, or the system knows no such signal.
  }
}

/** The background work of this process. */
export const playbackHold = new PlaybackHold();
