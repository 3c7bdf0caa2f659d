import { spawn, spawnSync, type ChildProcess, type ChildProcessByStdio } from 'node:child_process';
import type { Readable } from 'node:stream';
import { children } from './child-registry.js';

/** util-linux' setpriv has the system end a child when its parent ends, however that happens. */
const ENDS_WITH_PARENT = ['--pdeathsig', 'KILL'];
let hasSetpriv: boolean | undefined;

function canEndWithParent(): boolean {
  hasSetpriv ??=
    process.platform === 'linux' &&
    spawnSync('setpriv', [...ENDS_WITH_PARENT, 'true'], { stdio: 'ignore' }).status === 0;
  return hasSetpriv;
}

/** Starts a program that ends when this process ends, or else when the next server starts on the same folder. */
export function spawnChild(
  program: string,
  args: readonly string[],
): ChildProcessByStdio<null, Readable, Readable> {
  const options = { stdio: ['ignore', 'pipe', 'pipe'] as ['ignore', 'pipe', 'pipe'] };
  const child = canEndWithParent()
    ? spawn('setpriv', [...ENDS_WITH_PARENT, '--', program, ...args], options)
    : spawn(program, [...args], options);
  if (child.pid !== undefined) child.once('close', children.add(child.pid));
  return child;
}

/** Whether a child ended because its program is not there: its code, and what it wrote last. */
export const isProgramMissing = (code: number | null, errors: string): boolean =>
  code === 127 && /setpriv: failed to execute/.test(errors);

/** What ended a child, for people: "code 1", "the signal SIGKILL". */
export const endingOf = ({ exitCode, signalCode }: Pick<ChildProcess, 'exitCode' | 'signalCode'>): string =>
  signalCode ? `the signal ${signalCode}` : `code ${exitCode ?? 'unknown'}`;
