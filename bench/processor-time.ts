import { readdirSync, readFileSync } from 'node:fs';

/** Length of a tick of processor time, ms (proc(5): USER_HZ is 100 on every architecture that Node runs on). */
const TICK_MS = 10;

interface Usage {
  readonly parent: number;
  /** Of itself and of its children that have ended. */
  readonly ticks: number;
}

/**
 * Processor time that this process and all that it started have used so far, those that have ended included, ms.
 * @returns undefined where the system does not tell: it is read from `/proc`
 */
export function processorMs(): number | undefined {
  if (process.platform !== 'linux') return undefined;
  const usage = new Map<number, Usage>();
  for (const name of readdirSync('/proc')) {
    const read = /^\d+$/.test(name) ? usageOf(name) : undefined;
    if (read) usage.set(Number(name), read);
  }
  const isOurs = (pid: number): boolean => {
    if (pid === process.pid) return true;
    const parent = usage.get(pid)?.parent;
    return parent !== undefined && isOurs(parent);
  };
  let ticks = 0;
  for (const [pid, used] of usage) if (isOurs(pid)) ticks += used.ticks;
  return TICK_MS * ticks;
}

function usageOf(pid: string): Usage | undefined {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8');
    // The name of a program, in brackets, may hold anything.
    const fields = stat.slice(stat.lastIndexOf(')') + 2).split(' ');
    return {
      parent: Number(fields[1]),
      ticks: fields.slice(11, 15).reduce((sum, each) => sum + Number(each), 0),
    };
  } catch {
    // It has ended meanwhile.
    return undefined;
  }
}
