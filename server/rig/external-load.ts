import { readdir, readFile, readlink } from 'node:fs/promises';
import type { Socket } from 'node:net';
import { join } from 'node:path';
import { loadOver } from './system.js';

/** One process by /proc; times are clock ticks of the system (proc(5)). */
interface Process {
  readonly pid: number;
  readonly parent: number;
  readonly begun: number;
  readonly ticks: number;
  /** Ticks of its children that have ended. */
  readonly childTicks: number;
}

interface Snapshot {
  readonly processes: ReadonlyMap<number, Process>;
  /** Ticks of all cores together: of work, and of all there are. What a host took away counts as work. */
  readonly busy: number;
  readonly all: number;
}

/** Both ports of a connection of this machine to itself. */
export interface Connection {
  readonly clientPort: number;
  readonly serverPort: number;
}

/** The connection that a request came over; undefined where its socket does not tell. */
export const connectionOf = ({ remotePort, localPort }: Socket): Connection | undefined =>
  remotePort && localPort ? { clientPort: remotePort, serverPort: localPort } : undefined;

/** A measurement that has begun. */
interface Begun {
  readonly before: Snapshot;
  /** First process of the browser that shows Hone. */
  readonly browser: number;
}

/**
 * Measures the share of the cores that other programs use: neither Hone's server with its children nor the
 * browser that shows Hone. Only Linux tells.
 */
export class ExternalLoadMonitor {
  private begun: Begun | undefined;
  private known: { readonly connection: Connection; readonly browser: number } | undefined;

  constructor(private readonly proc = '/proc') {}

  /**
   * Starts a measurement.
   * @param connection of the page; without it the browser would count as external, so none starts
   */
  async start(connection: Connection | undefined): Promise<void> {
    this.begun = undefined;
    this.begun = await this.begin(connection);
  }

  /** Share of all cores that others took since the start, 0 to 1; null where the system does not tell. */
  async share(): Promise<number | null> {
    return this.since(this.begun);
  }

  /**
   * Share of all cores that others take over a time from now, ms; where the system does not tell, that all take. Jobs of
   * Hone, an export for example, count as others: they would disturb a measurement. Apart from one that was started.
   */
  async during(ms: number, connection: Connection | undefined): Promise<number> {
    const begun = await this.begin(connection);
    const all = await loadOver(ms);
    return (await this.since(begun, withJobsApart)) ?? all;
  }

  private async begin(connection: Connection | undefined): Promise<Begun | undefined> {
    const before = connection && (await snapshotOf(this.proc).catch(() => undefined));
    if (!before) return undefined;
    if (!this.isKnown(connection, before)) {
      // Looking through what all processes have open takes a while; a page keeps its connection.
      const browser = await browserOf(this.proc, connection).catch(() => undefined);
      this.known = browser === undefined ? undefined : { connection, browser };
    }
    return this.known && { before, browser: this.known.browser };
  }

  private async since(
    begun: Begun | undefined,
    seen = (snapshot: Snapshot): Snapshot => snapshot,
  ): Promise<number | null> {
    const after = begun && (await snapshotOf(this.proc).catch(() => undefined));
    return after ? othersShare(seen(begun.before), seen(after), [process.pid, begun.browser]) : null;
  }

  private isKnown({ clientPort, serverPort }: Connection, { processes }: Snapshot): boolean {
    const { known } = this;
    if (known?.connection.clientPort !== clientPort || known.connection.serverPort !== serverPort)
      return false;
    return processes.has(known.browser);
  }
}

/** A snapshot in which the children of the server, which are its jobs, belong to nobody. */
function withJobsApart(snapshot: Snapshot): Snapshot {
  const processes = new Map(snapshot.processes);
  for (const [pid, each] of processes) {
    if (pid === process.pid) processes.set(pid, { ...each, childTicks: 0 });
    else if (each.parent === process.pid) processes.set(pid, { ...each, parent: 0 });
  }
  return { ...snapshot, processes };
}

function othersShare(before: Snapshot, after: Snapshot, roots: readonly number[]): number | null {
  const all = after.all - before.all;
  if (all <= 0) return null;
  let own = 0;
  for (const { pid, begun, ticks, childTicks } of belowOf(after, roots)) {
    const earlier = before.processes.get(pid);
    const known = earlier?.begun === begun ? earlier : undefined;
    own += ticks - (known?.ticks ?? 0) + childTicks - (known?.childTicks ?? 0);
  }
  // Those that have ended meanwhile have left all their ticks to their parents.
  for (const { pid, begun, ticks } of belowOf(before, roots))
    if (after.processes.get(pid)?.begun !== begun) own -= ticks;
  const busy = after.busy - before.busy;
  return Math.min(1, Math.max(0, (busy - own) / all));
}

/** Some processes with all that they have begun. */
function belowOf({ processes }: Snapshot, roots: readonly number[]): Process[] {
  const isBelow = ({ pid, parent }: Process): boolean => {
    if (roots.includes(pid)) return true;
    const above = processes.get(parent);
    return above !== undefined && above.pid !== pid && isBelow(above);
  };
  return [...processes.values()].filter(isBelow);
}

async function snapshotOf(proc: string): Promise<Snapshot> {
  const [total = ''] = (await readFile(join(proc, 'stat'), 'utf8')).split('\n');
  const [user = 0, nice = 0, system = 0, idle = 0, waiting = 0, irq = 0, softIrq = 0, stolen = 0] = total
    .split(/\s+/)
    .slice(1)
    .map(Number);
  const busy = user + nice + system + irq + softIrq + stolen;
  const processes = new Map<number, Process>();
  for (const pid of await pidsOf(proc)) {
    const found = await processOf(proc, pid);
    if (found) processes.set(pid, found);
  }
  return { processes, busy, all: busy + idle + waiting };
}

async function pidsOf(proc: string): Promise<number[]> {
  return (await readdir(proc)).map(Number).filter((pid) => pid > 0);
}

async function processOf(proc: string, pid: number): Promise<Process | undefined> {
  const line = await readFile(join(proc, String(pid), 'stat'), 'utf8').catch(() => undefined);
  if (line === undefined) return undefined;
  // Its name, in brackets, may hold anything; the third field, its state, follows it.
  const fields = line
    .slice(line.lastIndexOf(')') + 2)
    .split(' ')
    .map(Number);
  const field = (number: number): number => fields[number - 3] ?? 0;
  return {
    pid,
    parent: field(4),
    begun: field(22),
    ticks: field(14) + field(15),
    childTicks: field(16) + field(17),
  };
}

/** The first process of the browser at the other end of a connection; undefined when it is not on this machine. */
async function browserOf(proc: string, connection: Connection): Promise<number | undefined> {
  const socket = await socketOf(proc, connection);
  if (!socket) return undefined;
  for (const pid of await pidsOf(proc)) {
    const folder = join(proc, String(pid), 'fd');
    for (const fd of await readdir(folder).catch(() => [])) {
      const target = await readlink(join(folder, fd)).catch(() => '');
      if (target === socket) return firstOf(proc, pid);
    }
  }
  return undefined;
}

async function socketOf(proc: string, { clientPort, serverPort }: Connection): Promise<string | undefined> {
  for (const table of ['tcp', 'tcp6']) {
    const lines = (await readFile(join(proc, 'net', table), 'utf8').catch(() => '')).split('\n').slice(1);
    for (const line of lines) {
      const [, local = '', remote = '', , , , , , , inode] = line.trim().split(/\s+/);
      if (portOf(local) === clientPort && portOf(remote) === serverPort) return `socket:[${inode}]`;
    }
  }
  return undefined;
}

const portOf = (address: string): number => parseInt(address.slice(address.lastIndexOf(':') + 1), 16);

/** The first of the processes above one that run the same program. */
async function firstOf(proc: string, pid: number): Promise<number> {
  const programOf = (of: number): Promise<string> => readlink(join(proc, String(of), 'exe')).catch(() => '');
  const program = await programOf(pid);
  for (let first = pid; ;) {
    const parent = (await processOf(proc, first))?.parent ?? 0;
    if (parent <= 1 || (await programOf(parent)) !== program) return first;
    first = parent;
  }
}
