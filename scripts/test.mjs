// Runs everything: checks, unit tests, API tests and browser tests. The last line counts.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { build } from './build.mjs';
import { check } from './check.mjs';

const only = process.argv[2];
const folder = mkdtempSync(join(tmpdir(), 'hone-test-'));
const total = { passed: 0, failed: 0 };

function count({ passed, failed }) {
  total.passed += passed;
  total.failed += failed;
}

function vitest(project) {
  const report = join(folder, `${project}.json`);
  const args = [
    'run',
    '--project',
    project,
    '--reporter=default',
    '--reporter=json',
    `--outputFile.json=${report}`,
  ];
  const { status } = spawnSync('node_modules/.bin/vitest', args, { stdio: 'inherit' });
  try {
    const { numPassedTests, numFailedTests } = JSON.parse(readFileSync(report, 'utf8'));
    // A run that failed without a failing test (a file that does not load, say) is a failure too.
    return { passed: numPassedTests, failed: numFailedTests || (status === 0 ? 0 : 1) };
  } catch {
    return { passed: 0, failed: 1 };
  }
}

build();
if (!only || only === 'check') count(check());
for (const project of ['unit', 'api', 'browser']) if (!only || only === project) count(vitest(project));
rmSync(folder, { recursive: true, force: true });
console.log(`${total.passed} passed, ${total.failed} failed`);
process.exitCode = total.failed ? 1 : 0;
