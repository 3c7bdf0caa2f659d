// Types, lint, format, boundaries and dead code. Prints a line for each and returns what failed.
import { spawnSync } from 'node:child_process';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));

const CHECKS = [
  ['types', 'tsc', ['-b']],
  ['types of the tests', 'tsc', ['-p', 'tsconfig.tests.json']],
  ['types of the worklet', 'tsc', ['-p', 'player/sound']],
  ['lint', 'eslint', ['--max-warnings=0', '.']],
  ['format', 'prettier', ['--check', '--log-level', 'warn', '.']],
  [
    'boundaries',
    'depcruise',
    ['--output-type', 'err', 'core', 'player', 'server', 'web/src', 'demo', 'bench', 'e2e'],
  ],
  ['dead code', 'knip', []],
];

export function check() {
  const failed = [];
  for (const [name, program, args] of CHECKS) {
    const started = performance.now();
    const { status } = spawnSync(`node_modules/.bin/${program}`, args, { cwd: root, stdio: 'inherit' });
    const seconds = ((performance.now() - started) / 1000).toFixed(1);
    console.log(`${status === 0 ? 'ok' : 'FAILED'}: ${name} (${seconds} s)`);
    if (status !== 0) failed.push(name);
  }
  return { passed: CHECKS.length - failed.length, failed: failed.length };
}

if (process.argv[1] === fileURLToPath(import.meta.url)) process.exit(check().failed ? 1 : 0);
