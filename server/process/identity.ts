import { execFile } from 'node:child_process';
import { readFile } from 'node:fs/promises';
import { promisify } from 'node:util';

/** Fields of /proc/PID/stat from the third on; undefined without such a process. */
async function statFields(pid: number): Promise<string[] | undefined> {
  const stat = await readFile(`/proc/${pid}/stat`, 'utf8').catch(() => undefined);
  // The name in parentheses may contain blanks and parentheses itself.
  return stat?.slice(stat.lastIndexOf(')') + 2).split(' ');
}

/** Processor time of a process, in clock ticks (proc(5), fields 14 and 15); undefined on other systems. */
export async function processorTicks(pid: number): Promise<number | undefined> {
  const fields = await statFields(pid);
  return fields ? Number(fields[11]) + Number(fields[12]) : undefined;
}

const PS_TIMEOUT_MS = 2000;

/**
 * Tells a process from any other that had or will have its number: the time at which it started (proc(5), field 22;
 * elsewhere as ps writes it).
 * @returns undefined when there is no such process
 */
export async function processIdentity(pid: number): Promise<string | undefined> {
  if (process.platform === 'linux') {
    const fields = await statFields(pid);
    // A zombie has ended already.
    if (fields === undefined || fields[0] === 'Z') return undefined;
    const boot = await readFile('/proc/sys/kernel/random/boot_id', 'utf8').catch(() => '');
    return `${boot.trim()}:${fields[19]}`;
  }
  try {
    process.kill(pid, 0);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EPERM') return undefined;
  }
  if (process.platform === 'win32') return 'running';
  const options = { timeout: PS_TIMEOUT_MS };
  const listed = await promisify(execFile)('ps', ['-o', 'lstart=', '-p', String(pid)], options).catch(
    () => undefined,
  );
  return listed?.stdout.trim() || 'running';
}
