import { spawnSync, type ChildProcess } from 'node:child_process';
import { setPriority } from 'node:os';
import { execa } from 'execa';
import { children } from './child-registry.js';
import { playbackHold } from './playback-hold.js';

/** util-linux' setpriv has the system end a child when its parent ends, however that happens. */
const ENDS_WITH_PARENT = ['--pdeathsig', 'KILL'];
let hasSetpriv: boolean | undefined;

function canEndWithParent(): boolean {
  hasSetpriv ??=
    process.platform === 'linux' &&
    spawnSync('setpriv', [...ENDS_WITH_PARENT, 'true'], { stdio: 'ignore' }).status === 0;
  return hasSetpriv;
}

/** Output is not buffered, a failure is a result and no exception, and killing takes effect at once. */
const OPTIONS = { buffer: false, reject: false, killSignal: 'SIGKILL' } as const;

/**
 * Starts a program that ends when this process ends, or else when the next server starts on the same folder.
 * @param signal kills the program @param takesInput whether its standard input is written
 */
export function spawnChild(
  program: string,
  args: readonly string[],
  signal: AbortSignal = new AbortController().signal,
  takesInput = false,
) {
  const stdin: 'pipe' | 'ignore' = takesInput ? 'pipe' : 'ignore';
  const options = { ...OPTIONS, stdin, cancelSignal: signal };
  const child = canEndWithParent()
    ? execa('setpriv', [...ENDS_WITH_PARENT, '--', program, ...args], options)
    : execa(program, args, options);
  if (child.pid !== undefined) {
    child.once('close', children.add(child.pid));
    child.once('close', playbackHold.adopt(child.pid));
  }
  return child;
}

/** Lowers the priority of a process. @param priority of `os.constants.priority` */
export function lowerPriority(pid: number | undefined, priority: number): void {
  try {
    if (pid) setPriority(pid, priority);
  } catch {
    // A system that refuses a lower priority still does the work.
  }
}

/** Whether a child ended because its program is not there: its code, and what it wrote last. */
export const isProgramMissing = (code: number | null | undefined, errors: string): boolean =>
  code === 127 && /setpriv: failed to execute/.test(errors);

/** Cause of a child's end, for display: "code 1", "the signal SIGKILL". */
export const endingOf = ({ exitCode, signalCode }: Pick<ChildProcess, 'exitCode' | 'signalCode'>): string =>
  signalCode ? `the signal ${signalCode}` : `code ${exitCode ?? 'unknown'}`;
