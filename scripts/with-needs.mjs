// Installs what a command needs and then runs it. Uses nothing but Node, since on a fresh clone there is nothing else.
import { spawn, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { setInterval } from 'node:timers';
import { fileURLToPath } from 'node:url';

const root = fileURLToPath(new URL('..', import.meta.url));
const [command, ...args] = process.argv.slice(2);

const COMMANDS = {
  demo: { tools: ['ffmpeg'], run: ['scripts/demo.mjs'] },
  dev: { tools: ['ffmpeg'], run: ['scripts/dev.mjs'] },
  test: { tools: ['ffmpeg', 'chromium'], run: ['scripts/test.mjs'] },
  bench: { tools: ['ffmpeg', 'chromium'], run: ['scripts/bench.mjs'] },
};

function fail(sentence) {
  console.error(sentence);
  process.exit(1);
}

const [major, minor] = process.versions.node.split('.').map(Number);
if (major < 20 || (major === 20 && minor < 19)) {
  fail(`Hone needs Node 20.19 or newer; this is ${process.versions.node}.`);
}

const wanted = COMMANDS[command];
if (!wanted) fail(`There is no command "${command}".`);

installPackages();
for (const tool of wanted.tools) needTool(tool);
const child = spawn(process.execPath, [...wanted.run, ...args], { cwd: root, stdio: 'inherit' });
// Whoever stops this command means what it started.
for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => child.kill(signal));
// npm starts commands through a shell, which ends at a signal and tells nobody: another parent is the sign of it.
const parent = process.ppid;
const orphaned = setInterval(() => process.ppid !== parent && child.kill('SIGTERM'), 300);
orphaned.unref();
child.on('exit', (code, signal) => process.exit(code ?? (signal === null ? 1 : 0)));

function installPackages() {
  const lock = createHash('sha256')
    .update(readFileSync(`${root}/package-lock.json`))
    .digest('hex');
  const stamp = `${root}/node_modules/.hone-lock`;
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === lock) return;
  console.log('Installing packages …');
  const npm = process.env.npm_execpath;
  const [program, first] = npm ? [process.execPath, [npm]] : ['npm', []];
  const { status } = spawnSync(program, [...first, 'ci', '--no-audit', '--no-fund', '--loglevel=error'], {
    cwd: root,
    stdio: 'inherit',
  });
  if (status !== 0)
    fail('The packages could not be installed. Look at the lines above, then run the command again.');
  mkdirSync(`${root}/node_modules`, { recursive: true });
  writeFileSync(stamp, lock);
}

function works(program) {
  return (
    spawnSync(program, [program.includes('chrom') ? '--version' : '-version'], { stdio: 'ignore' }).status ===
    0
  );
}

function needTool(tool) {
  const variable = tool === 'ffmpeg' ? 'HONE_FFMPEG' : 'HONE_CHROMIUM';
  const program = process.env[variable] ?? (tool === 'ffmpeg' ? 'ffmpeg' : '/usr/bin/chromium');
  if (works(program) && (tool !== 'ffmpeg' || works(process.env.HONE_FFPROBE ?? 'ffprobe'))) return;
  const apt = spawnSync('apt-get', ['--version'], { stdio: 'ignore' }).status === 0;
  const prefix = process.getuid?.() === 0 ? [] : ['sudo', '-n'];
  if (apt && (prefix.length === 0 || spawnSync('sudo', ['-n', 'true'], { stdio: 'ignore' }).status === 0)) {
    console.log(`Installing ${tool} …`);
    const run = (...parts) => {
      const [first, ...rest] = [...prefix, ...parts];
      const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
      return spawnSync(first, rest, { stdio: ['ignore', 'ignore', 'inherit'], env }).status === 0;
    };
    if (
      run('apt-get', 'update') &&
      run('apt-get', 'install', '-y', '--no-install-recommends', tool) &&
      works(program)
    ) {
      return;
    }
  }
  fail(`Hone needs ${tool}. Install it with your system's packages, or set ${variable} to where it is.`);
}
