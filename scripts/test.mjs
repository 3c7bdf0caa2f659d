// Runs everything: checks, unit tests, component specs, API tests and browser tests. The last line counts.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { build } from './build.mjs';
import { check } from './check.mjs';

const only = process.argv[2];
const folder = mkdtempSync(join(tmpdir(), 'hone-test-'));
const total = { passed: 0, failed: 0 };
const failures = [];

function count({ passed, failed, names = [] }) {
  total.passed += passed;
  total.failed += failed;
  failures.push(...names);
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
  return reported('node_modules/.bin/vitest', args, report);
}

/** Component specs, which Angular compiles before Vitest runs them. */
function components() {
  const report = join(folder, 'components.json');
  const reporters = ['--reporters=json', '--reporters=default', `--output-file=${report}`];
  return reported('../node_modules/.bin/ng', ['test', '--no-watch', ...reporters], report, 'web');
}

function reported(program, args, report, cwd = '.') {
  const { status } = spawnSync(program, args, { cwd, stdio: 'inherit' });
  try {
    const { numPassedTests, numFailedTests, testResults } = JSON.parse(readFileSync(report, 'utf8'));
    // A run that failed without a failing test (a file that does not load, say) is a failure too.
    const failed = numFailedTests || (status === 0 ? 0 : 1);
    return { passed: numPassedTests, failed, names: testResults.flatMap(failuresOf) };
  } catch {
    return { passed: 0, failed: 1, names: [`${program}: left no report`] };
  }
}

/** The failed tests of a file with their messages, or the file's own message where it did not load. */
function failuresOf({ name, status, message, assertionResults }) {
  const failed = assertionResults.filter((test) => test.status === 'failed');
  if (failed.length > 0)
    return failed.map((test) => `${name}: ${test.fullName}\n${test.failureMessages.join('\n')}`);
  return status === 'failed' ? [`${name}\n${message}`] : [];
}

build();
if (!only || only === 'check') count(check());
const suites = {
  unit: () => vitest('unit'),
  components,
  api: () => vitest('api'),
  browser: () => vitest('browser'),
};
for (const [name, run] of Object.entries(suites)) if (!only || only === name) count(run());
rmSync(folder, { recursive: true, force: true });
// Once more at the end, where a log of an hour is read first.
for (const failure of failures) console.log(`Failed: ${failure}`);
console.log(`${total.passed} passed, ${total.failed} failed`);
process.exitCode = total.failed ? 1 : 0;
